//! The jobs of a modeller on the demo data, by their letters. Expected figures are worked out here from the text
//! of the files, line by line, without the library.

mod a_to_c;
mod d_to_g;
mod files;
