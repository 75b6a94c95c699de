//! The whole application: over its API, and through the page in a browser.
//!
//! One program for all of them: linking and compiling many takes longer than the tests do.

mod access;
mod acts;
mod api;
mod brought_results;
mod deck;
mod entries;
mod exports;
mod faults;
mod first_sounding;
mod generated;
mod handover;
mod installed;
mod jobs;
mod keyboard;
mod lenses;
mod live;
mod owner;
mod palette;
mod people;
mod plan_api;
mod planning;
mod plots;
mod reports;
mod responses;
mod rig_api;
mod rig_views;
mod rounds;
mod run_list;
mod runs_api;
mod scripts;
mod sensors;
mod setting_right;
mod shelf;
mod specimen;
mod stations;
mod strange;
mod strangers;
mod study;
mod study_api;
mod study_more;
mod takes;
mod taps;
mod trust;
mod wind;
