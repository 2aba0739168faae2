//! The `vembra` command: arguments, printing and exit codes. All else is the library's.

#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

mod advice;
mod arguments;
mod cache;
mod check;
mod commands;
mod draw;
mod explain;
mod files;
mod fmt;
mod lsp;
mod output;
mod reading;
mod shell;
mod sketch;

use arguments::{Arguments, Command};
use clap::Parser;
use std::process::ExitCode;

/// Queries over many orders or customers take and give back vectors of megabytes: this allocator keeps them at hand, where the usual one
/// gives them back to the system and waits for new ones, a quarter of the time.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// What a command ends with.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Exit {
    /// All is fine.
    Fine,
    /// There are findings that matter.
    Findings,
    /// The text or the arguments are wrong.
    Wrong,
    /// The outside failed: a file, the disk.
    Outside,
}

impl From<Exit> for ExitCode {
    fn from(exit: Exit) -> Self {
        Self::from(match exit {
            Exit::Fine => 0,
            Exit::Findings => 1,
            Exit::Wrong => 2,
            Exit::Outside => 3,
        })
    }
}

fn main() -> ExitCode {
    let arguments = Arguments::parse();
    let exit = match &arguments.command {
        Command::Demo(demo) => commands::demo(demo),
        Command::Sketch(arguments) => sketch::sketch(arguments),
        Command::Check(check) => check::check(check),
        Command::Describe(describe) => commands::describe(describe),
        Command::Ask(ask) => commands::ask(ask),
        Command::Draw(draw) => draw::draw(draw),
        Command::Fmt(fmt) => fmt::fmt(fmt),
        Command::Explain(explain) => explain::explain(explain),
        Command::Cache(arguments) => cache::cache(arguments),
        Command::Lsp(lsp) => lsp::lsp(lsp),
        Command::Shell(shell) => shell::shell(shell),
    };
    exit.into()
}
