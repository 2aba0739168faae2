//! What the library does, as its users see it: one program, so that the library is put into it once.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, clippy::print_stdout)] // Tests stop at the first fault.

mod bad_data;
mod blank;
mod bridges;
mod calendar_file;
mod checks;
mod database;
mod distinct;
mod documented;
mod examples;
mod explained;
mod formats;
mod formatted;
mod forms;
mod functions;
mod jobs;
mod kept;
mod laid_out;
mod large;
mod library;
mod limits;
mod meaning;
mod pages;
mod pictures;
mod plans;
mod postgres;
mod rewrites;
mod routes;
mod server;
mod sketch;
mod snowflake;
mod stretches;
mod whole_models;
mod working_days;
mod written;
mod wrong_texts;
