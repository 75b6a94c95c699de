//! A table of a result as a file of one row group.

use super::{properties, unwritten};
use crate::FormatError;
use parquet::basic::{LogicalType, Repetition, Type as Physical};
use parquet::data_type::{ByteArray, ByteArrayType, DoubleType};
use parquet::file::writer::SerializedFileWriter;
use parquet::schema::types::Type;
use std::sync::Arc;

/// A column of a table.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Column {
    /// Of numbers; NaN where there is none.
    Numbers(Vec<f64>),
    /// Of words.
    Words(Vec<String>),
}

impl Column {
    pub(crate) fn len(&self) -> usize {
        match self {
            Column::Numbers(all) => all.len(),
            Column::Words(all) => all.len(),
        }
    }
}

/// Writes a table of a result as a file of one row group; `told` are words about it.
///
/// # Errors
/// The writer's own error.
pub(crate) fn columns(table: &[(String, Column)], told: &[(&str, String)]) -> Result<Vec<u8>, FormatError> {
    let field = |(head, column): &(String, Column)| {
        let built = match column {
            Column::Numbers(_) => Type::primitive_type_builder(head, Physical::DOUBLE),
            Column::Words(_) => {
                Type::primitive_type_builder(head, Physical::BYTE_ARRAY).with_logical_type(Some(LogicalType::String))
            }
        };
        built.with_repetition(Repetition::REQUIRED).build().map(Arc::new).map_err(unwritten)
    };
    let fields = table.iter().map(field).collect::<Result<Vec<_>, _>>()?;
    let schema = Type::group_type_builder("result").with_fields(fields).build().map(Arc::new).map_err(unwritten)?;
    let words = properties(told.iter().map(|(k, v)| (*k, v.as_str())));
    let mut bytes = Vec::new();
    let mut writer = SerializedFileWriter::new(&mut bytes, schema, words).map_err(unwritten)?;
    let mut group = writer.next_row_group().map_err(unwritten)?;
    for (_, column) in table {
        let Some(mut out) = group.next_column().map_err(unwritten)? else {
            return Err(unwritten("a column is missing"));
        };
        match column {
            Column::Numbers(all) => out.typed::<DoubleType>().write_batch(all, None, None),
            Column::Words(all) => {
                let words: Vec<ByteArray> = all.iter().map(|w| w.as_str().into()).collect();
                out.typed::<ByteArrayType>().write_batch(&words, None, None)
            }
        }
        .map_err(unwritten)?;
        out.close().map_err(unwritten)?;
    }
    group.close().map_err(unwritten)?;
    writer.close().map_err(unwritten)?;
    Ok(bytes)
}
