//! Files written and read back.
//!
//! One program for all of them: linking and compiling many takes longer than the tests do.

mod any;
mod campaign_files;
mod corpus;
mod curves;
mod drawing;
mod files;
mod functions;
mod geometry;
mod kinds;
mod parquet;
mod results;
mod sheets;
mod uff;
