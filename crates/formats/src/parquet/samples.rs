//! Samples as a file that grows by row groups.

use super::{RATE, TIME, properties, unwritten};
use crate::FormatError;
use crate::csv::headed;
use parquet::basic::{Repetition, Type as Physical};
use parquet::data_type::{DoubleType, FloatType, Int32Type};
use parquet::file::metadata::{
    ColumnChunkMetaData, FileMetaData, ParquetMetaDataBuilder, ParquetMetaDataOptions, ParquetMetaDataReader,
    ParquetMetaDataWriter, RowGroupMetaData,
};
use parquet::file::properties::WriterPropertiesPtr;
use parquet::file::writer::SerializedFileWriter;
use parquet::schema::types::{SchemaDescriptor, Type, TypePtr};
use std::io::Write;
use std::sync::Arc;

/// Writes samples block by block, each a row group.
///
/// A group is written by itself and its place told anew, so that a file can be gone on with behind any of them.
pub struct ParquetOut<W: Write + Send> {
    to: W,
    schema: TypePtr,
    properties: WriterPropertiesPtr,
    groups: Vec<RowGroupMetaData>,
    group: Vec<u8>,
    rate: f64,
    rows: u64,
    bytes: u64,
    whole: bool,
}

/// What a file begins and ends with.
const MAGIC: &[u8] = b"PAR1";

impl<W: Write + Send> ParquetOut<W> {
    /// Begins a file; with `whole`, samples are whole numbers of 32 bits: counts. `told` are words about it.
    ///
    /// # Errors
    /// The writer's own error.
    pub fn new(
        mut to: W,
        rate: f64,
        channels: &[(String, String)],
        whole: bool,
        told: &[(&str, String)],
    ) -> Result<Self, FormatError> {
        let column = |name: &str, physical: Physical| {
            let built = Type::primitive_type_builder(name, physical).with_repetition(Repetition::REQUIRED).build();
            built.map(Arc::new).map_err(unwritten)
        };
        let mut fields = vec![column(TIME, Physical::DOUBLE)?];
        for (name, unit) in channels {
            fields.push(column(&headed(name, unit), if whole { Physical::INT32 } else { Physical::FLOAT })?);
        }
        let schema = Type::group_type_builder("run").with_fields(fields).build().map(Arc::new).map_err(unwritten)?;
        let rate_told = rate.to_string();
        let words = told.iter().map(|(k, v)| (*k, v.as_str())).chain([(RATE, rate_told.as_str())]);
        let properties = properties(words);
        to.write_all(MAGIC).map_err(unwritten)?;
        let bytes = MAGIC.len() as u64;
        Ok(ParquetOut { to, schema, properties, groups: Vec::new(), group: Vec::new(), rate, rows: 0, bytes, whole })
    }

    /// Goes on with a file of which these rows and bytes are written: `foot` is what [`ParquetOut::foot`] gave then,
    /// the rest as it was begun. `to` takes what comes behind them.
    ///
    /// # Errors
    /// `foot` is not one of such a file.
    pub fn on<V: Write + Send>(
        self,
        to: V,
        (rows, bytes): (u64, u64),
        foot: &[u8],
    ) -> Result<ParquetOut<V>, FormatError> {
        // Behind it stand its length and the letters.
        let told = foot.get(..foot.len().saturating_sub(4 + MAGIC.len())).unwrap_or_default();
        // As it was written: usually the reader sums up how pages are encoded.
        let all = ParquetMetaDataOptions::new().with_encoding_stats_as_mask(false);
        let read = ParquetMetaDataReader::decode_metadata_with_options(told, Some(&all)).map_err(unwritten)?;
        if read.file_metadata().num_rows() != rows as i64 || read.file_metadata().schema() != &*self.schema {
            return Err(unwritten("what is there of it is of another file"));
        }
        let ParquetOut { schema, properties, group, rate, whole, .. } = self;
        Ok(ParquetOut { to, schema, properties, groups: read.row_groups().to_vec(), group, rate, rows, bytes, whole })
    }

    /// Adds samples: one vector a channel; missing ones are NaN, or the smallest whole number.
    ///
    /// # Errors
    /// The writer's own error.
    pub fn push(&mut self, channels: &[Vec<f64>]) -> Result<(), FormatError> {
        let rows = channels.first().map_or(0, Vec::len);
        if rows == 0 {
            return Ok(());
        }
        self.group.clear();
        let schema = self.schema.clone();
        let mut writer =
            SerializedFileWriter::new(&mut self.group, schema, self.properties.clone()).map_err(unwritten)?;
        let mut group = writer.next_row_group().map_err(unwritten)?;
        let time: Vec<f64> = (0..rows as u64).map(|i| (self.rows + i) as f64 / self.rate).collect();
        let mut next = |n: usize| -> Result<(), FormatError> {
            let Some(mut column) = group.next_column().map_err(unwritten)? else {
                return Err(unwritten("a column is missing"));
            };
            match (n, self.whole) {
                (0, _) => column.typed::<DoubleType>().write_batch(&time, None, None),
                (n, true) => {
                    let whole = |x: &f64| if x.is_finite() { *x as i32 } else { i32::MIN };
                    let all: Vec<i32> = channels[n - 1].iter().map(whole).collect();
                    column.typed::<Int32Type>().write_batch(&all, None, None)
                }
                (n, false) => {
                    let all: Vec<f32> = channels[n - 1].iter().map(|x| *x as f32).collect();
                    column.typed::<FloatType>().write_batch(&all, None, None)
                }
            }
            .map_err(unwritten)?;
            column.close().map_err(unwritten)
        };
        for n in 0..=channels.len() {
            next(n)?;
        }
        let told = group.close().map_err(unwritten)?;
        self.groups.push(placed(&told, self.bytes - MAGIC.len() as u64, self.groups.len())?);
        drop(writer);
        let written = &self.group[MAGIC.len()..];
        self.to.write_all(written).map_err(unwritten)?;
        self.bytes += written.len() as u64;
        self.rows += rows as u64;
        Ok(())
    }

    /// Rows that are written.
    pub fn rows(&self) -> u64 {
        self.rows
    }

    /// What takes the bytes.
    pub fn to(&mut self) -> &mut W {
        &mut self.to
    }

    /// What the file would end with now.
    ///
    /// # Errors
    /// The writer's own error.
    pub fn foot(&self) -> Result<Vec<u8>, FormatError> {
        let schema = Arc::new(SchemaDescriptor::new(self.schema.clone()));
        let (by, words) = (self.properties.created_by().to_string(), self.properties.key_value_metadata().cloned());
        let version = self.properties.writer_version().as_num();
        let told = FileMetaData::new(version, self.rows as i64, Some(by), words, schema, None);
        let told = ParquetMetaDataBuilder::new(told).set_row_groups(self.groups.clone()).build();
        let mut foot = Vec::new();
        ParquetMetaDataWriter::new(&mut foot, &told).finish().map_err(unwritten)?;
        Ok(foot)
    }

    /// Writes the foot and ends.
    ///
    /// # Errors
    /// The writer's own error.
    pub fn finish(mut self) -> Result<(), FormatError> {
        let foot = self.foot()?;
        self.to.write_all(&foot).and_then(|()| self.to.flush()).map_err(unwritten)
    }
}

/// A row group that begins so many bytes later than it was written, as the one of that place.
fn placed(group: &RowGroupMetaData, by: u64, place: usize) -> Result<RowGroupMetaData, FormatError> {
    let by = by as i64;
    let column = |c: &ColumnChunkMetaData| {
        let (data, words) = (c.data_page_offset() + by, c.dictionary_page_offset().map(|at| at + by));
        let built = c.clone().into_builder().set_data_page_offset(data).set_dictionary_page_offset(words);
        built.build().map_err(unwritten)
    };
    let columns = group.columns().iter().map(column).collect::<Result<Vec<_>, _>>()?;
    let mut built = group.clone().into_builder().set_column_metadata(columns).set_ordinal(place as i32);
    if let Some(at) = group.file_offset() {
        built = built.set_file_offset(at + by);
    }
    built.build().map_err(unwritten)
}
