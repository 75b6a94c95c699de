//! Rules, recipes, lenses, triggers and tables of the job.
//!
//! One program for all of them: linking and compiling many takes longer than the tests do.

mod common;
mod corpus;
mod entry;
mod gaps;
mod impact;
mod lenses;
mod made_of;
mod math;
mod modal;
mod operation;
mod preparation;
mod readings;
mod recipes;
mod report;
mod rigs;
mod rules;
mod spreadsheet;
mod systems;
mod table;
mod tachos;
mod triggers;
mod turning;
mod unattended;
mod whole_way;
