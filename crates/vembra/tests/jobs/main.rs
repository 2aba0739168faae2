//! The jobs of a modeller on the demo data, by their letters. Expected figures are worked out here from the text
//! of the files, line by line, without the library.
#![allow(clippy::unwrap_used, clippy::panic, clippy::print_stdout)] // Tests stop at the first fault.

mod a_to_c;
mod d_to_g;
mod files;
