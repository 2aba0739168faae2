//! The arguments of the command line, and its help.

use clap::{Args, Parser, Subcommand, ValueEnum};
use std::path::PathBuf;

const GUIDE: &str = "\
Start with the demo, then with a model of your own:

  vembra demo                               a tour on built-in data
  vembra demo --to bees                     write its files into a folder
  vembra check bees/bees.vembra             what was read, and what is wrong
  vembra describe bees/bees.vembra          tables, links, columns, measures
  vembra describe bees/bees.vembra revenue  one measure
  vembra ask bees/bees.vembra \"rows calendar.year show revenue, orders\"

Or at a prompt, with completion:

  vembra shell bees/bees.vembra

One measure by three dates, on one axis:

  vembra ask bees/bees.vembra \"rows calendar.year show revenue,
      (revenue via shipped) as shipped, (revenue via due) as due\"

Exit codes: 0 fine, 1 findings, 2 the text or the arguments are wrong, 3 the outside failed.
Answers go to standard output, everything else to standard error.";

/// Reusable sales measures over a star of files whose one calendar plays several roles.
#[derive(Debug, Parser)]
#[command(name = "vembra", version, after_help = GUIDE, max_term_width = 100)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    pub(crate) command: Command,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Show a tour on built-in data, or write that data into a folder.
    Demo(Demo),
    /// Look at files and write a first model of them.
    Sketch(Sketch),
    /// Read a model and its files, and say what is wrong with them.
    Check(Check),
    /// List what a model holds, or all about one table, column or measure.
    Describe(Describe),
    /// Answer a query.
    Ask(Ask),
    /// Draw reports and dashboards of the model.
    Draw(Draw),
    /// Write models in the one layout.
    Fmt(Fmt),
    /// Explain a figure: its conditions, each step with its value, the rows behind it.
    Explain(Explain),
    /// Type queries at a prompt, with completion.
    Shell(Shell),
    /// List what was read and is cached for the next command, or remove it.
    Cache(CacheCommand),
    /// Serve editors: what is wrong, completion, meanings, renaming.
    Lsp(Lsp),
}

const SKETCH: &str = "\
Tables, keys, links, dates as roles of one calendar, and plain measures are guessed; each guess says its reason in the model. What was doubtful is said. Nothing is overwritten.

Examples:
  vembra sketch sales/ --to sales/shop.vembra
  vembra sketch orders.csv customers.parquet prices.xlsx
  vembra sketch shop.db --to shop.vembra
  vembra sketch --database SHOP_URL --to shop.vembra";

#[derive(Debug, Args)]
#[command(after_help = SKETCH)]
pub(crate) struct Sketch {
    /// Files of tables, or folders with them.
    #[arg(required_unless_present = "database")]
    pub(crate) files: Vec<PathBuf>,
    /// The variable of the environment that says where a `PostgreSQL` database is.
    #[arg(long, value_name = "VARIABLE")]
    pub(crate) database: Vec<String>,
    /// Write the model into this file, which must not be there yet [default: show it].
    #[arg(long, value_name = "FILE")]
    pub(crate) to: Option<PathBuf>,
}

/// A model, and how it is opened.
#[derive(Clone, Debug, Args)]
pub(crate) struct Opened {
    /// The model, a .vembra file.
    pub(crate) model: PathBuf,
    /// Only what this viewer of the model sees.
    #[arg(long, value_name = "NAME")]
    pub(crate) viewer: Option<String>,
    /// Write numbers, months and words as readers of a locale do, such as de-DE; files for programs do not change with it.
    #[arg(long, value_name = "TAG", value_parser = locale)]
    pub(crate) locale: Option<String>,
    /// Read a table from this file instead of the one that the model names; - is standard input.
    #[arg(long, value_name = "NAME=FILE", value_parser = table)]
    pub(crate) table: Vec<(String, Option<PathBuf>)>,
    /// Ask the server whose address stands in this variable of the environment; all tables are there.
    #[arg(long, value_name = "VARIABLE")]
    pub(crate) on: Option<String>,
    #[command(flatten)]
    pub(crate) bounds: Bounds,
    #[command(flatten)]
    pub(crate) keep: Keep,
    /// Read everything from its source, and cache it again.
    #[arg(long)]
    pub(crate) fresh: bool,
}

/// What was read is cached for the next command.
#[derive(Clone, Debug, Args)]
pub(crate) struct Keep {
    /// Keep what was read for the next command in this folder; off keeps nothing [default: the user's folder for such things].
    #[arg(long, value_name = "DIR", env = "VEMBRA_CACHE", hide_env_values = true)]
    pub(crate) cache: Option<PathBuf>,
    /// Keep so much at most; what was used longest ago goes first [default: 10GB].
    #[arg(long, value_name = "SIZE", env = "VEMBRA_CACHE_LIMIT", value_parser = memory, hide_env_values = true)]
    pub(crate) cache_limit: Option<u64>,
}

const CACHED: &str = "\
What a command reads is cached in the form in which it is computed with, so that the next command answers at once. It is used only as long as the files, and how the model reads them, stay the same; nothing has to be asked for or cleared.

Examples:
  vembra cache
  vembra cache demo/bees.vembra
  vembra cache demo/bees.vembra --remove
  vembra cache --remove
  vembra ask demo/bees.vembra \"show revenue\" --fresh        reads all files again
  VEMBRA_CACHE=off vembra ask demo/bees.vembra \"show revenue\"";

#[derive(Debug, Args)]
#[command(after_help = CACHED)]
pub(crate) struct CacheCommand {
    /// Only what is cached for this model.
    pub(crate) model: Option<PathBuf>,
    /// Remove it.
    #[arg(long)]
    pub(crate) remove: bool,
    #[command(flatten)]
    pub(crate) keep: Keep,
}

/// The tag of a locale.
fn locale(text: &str) -> Result<String, String> {
    let written = "write the language and the region with a hyphen between them, such as de-DE";
    vembra::Locale::of(text).map(|locale| locale.tag().to_owned()).map_err(|_| written.to_owned())
}

/// The table, and the file; none is standard input.
fn table(text: &str) -> Result<(String, Option<PathBuf>), String> {
    match text.split_once('=') {
        Some((name, "-")) if !name.is_empty() => Ok((name.to_owned(), None)),
        Some((name, file)) if !name.is_empty() && !file.is_empty() => {
            Ok((name.to_owned(), Some(file.into())))
        }
        _ => Err("write the name of the table and the file, such as order_line=lines.parquet".to_owned()),
    }
}

/// What a model may reach and take.
#[derive(Clone, Debug, Args)]
pub(crate) struct Bounds {
    /// Let the model include files from outside its folder.
    #[arg(long)]
    pub(crate) allow_outside: bool,
    /// Stop with a message when more memory would be taken, such as 500MB or 2GB.
    #[arg(long, value_name = "SIZE", value_parser = memory)]
    pub(crate) memory: Option<u64>,
}

fn memory(text: &str) -> Result<u64, String> {
    let number = text.trim_end_matches(|c: char| c.is_alphabetic() || c == ' ');
    let unit = match text[number.len()..].trim().to_ascii_uppercase().as_str() {
        "KB" | "K" => Some(1_u64 << 10),
        "MB" | "M" => Some(1 << 20),
        "GB" | "G" => Some(1 << 30),
        _ => None,
    };
    let bytes = unit.zip(number.parse::<f64>().ok()).map(|(unit, n)| n * unit as f64);
    match bytes {
        Some(bytes) if (1024.0..1e15).contains(&bytes) => Ok(bytes as u64),
        _ => Err("write a number with a unit, such as 500MB or 2GB".to_owned()),
    }
}

#[derive(Debug, Args)]
#[command(
    after_help = "Speaks the language server protocol over standard input and output; editors start it themselves.\n\nExamples:\n  vembra lsp\n  vembra lsp models/main.vembra"
)]
pub(crate) struct Lsp {
    /// The main file of the model [default: the opened file, or one beside it that includes it].
    pub(crate) model: Option<PathBuf>,
    /// Let models include files from outside their folder.
    #[arg(long)]
    pub(crate) allow_outside: bool,
    #[command(flatten)]
    pub(crate) keep: Keep,
    /// Accepted since many editors add it; standard input and output are what is used anyway.
    #[arg(long, hide = true)]
    pub(crate) stdio: bool,
}

const SHELL: &str = "\
Queries are typed as they are. Tab completes; Enter asks, or goes on where the query is not complete, and Alt+Enter always starts a new line. The lines of an answer have numbers: open 3 shows the parts of line 3, explain 3 why its figure is what it is, up goes back. help tells all commands. The model is read again when its files change.

Examples:
  vembra shell demo/bees.vembra
  vembra shell demo/bees.vembra --history ~/.bees_history
  echo \"show revenue\" | vembra shell demo/bees.vembra";

#[derive(Debug, Args)]
#[command(after_help = SHELL)]
pub(crate) struct Shell {
    #[command(flatten)]
    pub(crate) opened: Opened,
    /// Keep the history of lines in this file [default: it ends with the shell].
    #[arg(long, value_name = "FILE", env = "VEMBRA_HISTORY")]
    pub(crate) history: Option<PathBuf>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  vembra demo\n  vembra demo --to bees\n  vembra demo --orders 1000000 --to big"
)]
pub(crate) struct Demo {
    /// How many orders to make.
    #[arg(long, value_name = "N", default_value_t = vembra_demo::ORDERS)]
    pub(crate) orders: usize,
    /// Write the files into this folder, which is made if it is missing.
    #[arg(long, value_name = "DIR")]
    pub(crate) to: Option<PathBuf>,
    /// Replace files that the folder has already.
    #[arg(long, requires = "to")]
    pub(crate) force: bool,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Ends with 1 if there are warnings or errors.\n\nExample:\n  vembra check demo/bees.vembra"
)]
pub(crate) struct Check {
    #[command(flatten)]
    pub(crate) opened: Opened,
    /// How what was found is written: for people, or as data for editors.
    #[arg(long, value_enum, default_value_t = Written::Text)]
    pub(crate) format: Written,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  vembra describe demo/bees.vembra\n  vembra describe demo/bees.vembra customer\n  vembra describe demo/bees.vembra customer.region\n  vembra describe demo/bees.vembra revenue"
)]
pub(crate) struct Describe {
    #[command(flatten)]
    pub(crate) opened: Opened,
    /// A table, a column (with or without its table) or a measure.
    pub(crate) name: Option<String>,
}

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  vembra fmt demo/bees.vembra\n  vembra fmt --check demo/*.vembra\n  vembra fmt - < bees.vembra\n\nEnds with 1 if --check finds a file that is laid out otherwise."
)]
pub(crate) struct Fmt {
    /// The files; - reads standard input and writes to standard output.
    #[arg(required = true)]
    pub(crate) files: Vec<PathBuf>,
    /// Change nothing, and name the files that would change.
    #[arg(long)]
    pub(crate) check: bool,
}

const EXPLAIN: &str = "\
Examples:
  vembra explain demo/bees.vembra \"show revenue, margin\" --figure margin
  vembra explain demo/bees.vembra \"rows calendar.month columns customer.region show revenue\" \\
      --cell \"calendar.month = '2025-04', customer.region = 'Dunlow'\"
  vembra explain demo/bees.vembra \"rows calendar.year show buyers\"
  vembra explain demo/bees.vembra \"rows calendar.month show late_lines\" --cell \"calendar.month = '2025-04'\" --rows
  vembra explain demo/bees.vembra \"rows calendar.month show late_lines\" --cell \"calendar.month = '2025-04'\" --to late.csv

The figure is worked out a second time, row by row, and compared with the answer. Ends with 1 if the two differ.";

#[derive(Debug, Args)]
#[command(after_help = EXPLAIN)]
pub(crate) struct Explain {
    #[command(flatten)]
    pub(crate) opened: Opened,
    /// The query.
    pub(crate) query: String,
    /// Where the figure stands, as AXIS = 'MEMBER' with commas between; axes that are left out are totalled.
    #[arg(long, value_name = "CELL", default_value = "")]
    pub(crate) cell: String,
    /// Which figure, by its name or heading; the first one if it is left out.
    #[arg(long, value_name = "NAME")]
    pub(crate) figure: Option<String>,
    /// Show the rows behind it too, at most 20.
    #[arg(long)]
    pub(crate) rows: bool,
    /// Write all rows behind it into this file, as CSV.
    #[arg(long, value_name = "FILE")]
    pub(crate) to: Option<PathBuf>,
    /// How the explanation is written.
    #[arg(long, value_enum, default_value_t = Written::Text)]
    pub(crate) format: Written,
    /// Give a parameter of the model a value, as NAME=VALUE; may stand several times.
    #[arg(long, value_name = "NAME=VALUE")]
    pub(crate) given: Vec<String>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Written {
    /// For people.
    Text,
    /// As data.
    Json,
}

const DRAW: &str = "\
Examples:
  vembra draw demo/bees.vembra                                 what there is to draw
  vembra draw demo/bees.vembra revenue_two_dates               as text
  vembra draw demo/bees.vembra revenue_two_dates --to two_dates.png
  vembra draw demo/bees.vembra overview --to overview.html     a page for a web browser
  vembra draw demo/bees.vembra overview --to page.png --scale 2 --theme dark
  vembra draw demo/bees.vembra lost_number orders_by_hour --to charts/ --format svg
  vembra draw demo/bees.vembra lost_number --given as_of=2024-12-31";

#[derive(Debug, Args)]
#[command(after_help = DRAW)]
pub(crate) struct Draw {
    #[command(flatten)]
    pub(crate) opened: Opened,
    /// Reports and dashboards; without any, those that there are get listed.
    pub(crate) names: Vec<String>,
    /// Write into this file, as its ending says: .svg, .png, .html or .txt. A folder takes several, one file each.
    #[arg(long, value_name = "FILE")]
    pub(crate) to: Option<PathBuf>,
    /// What files in a folder are.
    #[arg(long, value_enum)]
    pub(crate) format: Option<PictureFormat>,
    /// Width and height of a picture in pixels [default: 1280x800, for dashboards their own].
    #[arg(long, value_name = "WxH", value_parser = size)]
    pub(crate) size: Option<(u32, u32)>,
    /// How many times as large a PNG is, such as 2 for sharp screens.
    #[arg(long, value_name = "N", default_value_t = 1.0, value_parser = scale)]
    pub(crate) scale: f64,
    /// The colours of a PNG.
    #[arg(long, value_enum, default_value_t = Surroundings::Light)]
    pub(crate) theme: Surroundings,
    /// Give a parameter of the model a value, as NAME=VALUE; may stand several times.
    #[arg(long, value_name = "NAME=VALUE")]
    pub(crate) given: Vec<String>,
    /// How many characters wide text may be [default: the terminal's width, if it is one].
    #[arg(long, value_name = "N")]
    pub(crate) width: Option<usize>,
}

fn size(text: &str) -> Result<(u32, u32), String> {
    let sides = text.split_once(['x', 'X', '×']).and_then(|(w, h)| Some((w.parse().ok()?, h.parse().ok()?)));
    match sides {
        Some((w, h)) if (120..=16_000).contains(&w) && (80..=16_000).contains(&h) => Ok((w, h)),
        _ => Err("write width x height in pixels, such as 1280x800; at least 120x80".to_owned()),
    }
}

fn scale(text: &str) -> Result<f64, String> {
    match text.parse() {
        Ok(scale) if (0.1..=8.0).contains(&scale) => Ok(scale),
        _ => Err("write a number from 0.1 to 8, such as 2".to_owned()),
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum PictureFormat {
    /// A drawing for documents and web pages.
    Svg,
    /// A picture.
    Png,
    /// A page for a web browser.
    Html,
    /// Text.
    Txt,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Surroundings {
    /// Dark on light.
    Light,
    /// Light on dark.
    Dark,
}

const ASK: &str = "\
Examples:
  vembra ask demo/bees.vembra \"show revenue, orders\"
  vembra ask demo/bees.vembra \"rows product.category columns calendar.year show revenue totals on rows, on columns\"
  vembra ask demo/bees.vembra \"rows customer.name show revenue sort revenue descending where calendar.month = '2025-04'\"
  vembra ask demo/bees.vembra \"list order_no, net from order_line where net > 5000 sort net descending limit 5\"
  vembra ask demo/bees.vembra \"show revenue where calendar.year = :focus_year\" --given focus_year=2024
  vembra ask demo/bees.vembra \"rows customer.region show revenue\" --viewer sarrow_desk
  vembra ask demo/bees.vembra --file query.txt --to answer.csv
  vembra ask demo/bees.vembra \"rows calendar.month show revenue\" --to revenue.xlsx
  echo \"rows calendar.month show buyers\" | vembra ask demo/bees.vembra -";

#[derive(Debug, Args)]
#[command(after_help = ASK)]
pub(crate) struct Ask {
    #[command(flatten)]
    pub(crate) opened: Opened,
    /// The query; - reads it from standard input.
    #[arg(required_unless_present = "file", conflicts_with = "file")]
    pub(crate) query: Option<String>,
    /// Read the query from a file.
    #[arg(long, value_name = "FILE")]
    pub(crate) file: Option<PathBuf>,
    /// Give a parameter of the model a value, as NAME=VALUE; may stand several times.
    #[arg(long, value_name = "NAME=VALUE")]
    pub(crate) given: Vec<String>,
    /// Write the answer into a file instead of standard output; - means standard output, also for formats that are files.
    #[arg(long, value_name = "FILE")]
    pub(crate) to: Option<PathBuf>,
    /// How many characters wide a table may be: a wider one is cut into parts [default: the terminal's width, if it is
    /// one].
    #[arg(long, value_name = "N")]
    pub(crate) width: Option<usize>,
    /// Tell what was done for the answer too: what was read how often, what was shared, how long it took.
    #[arg(long)]
    pub(crate) why: bool,
    /// Show a form that the query goes through instead of its answer.
    #[arg(long, value_enum, conflicts_with = "why")]
    pub(crate) emit: Option<Emitted>,
    /// Draw a small bar beside each figure of a table.
    #[arg(long)]
    pub(crate) bars: bool,
    /// Draw a small line through the figures of each row of a table, over what stands on columns.
    #[arg(long)]
    pub(crate) trends: bool,
    /// How the answer is written [default: as the ending of --to says, else table].
    #[arg(long, value_enum)]
    pub(crate) format: Option<Format>,
    /// Members on columns side by side (grid), or all keys in columns of their own (tidy) [default: grid for
    /// tables, tidy for csv and json]
    #[arg(long, value_enum)]
    pub(crate) layout: Option<Shape>,
    /// What months, quarters and weeks are in Parquet and Arrow.
    #[arg(long, value_enum, default_value_t = PeriodForm::Date)]
    pub(crate) periods: PeriodForm,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum PeriodForm {
    /// Dates of their first day; the metadata of the field say which period it is.
    Date,
    /// Texts such as 2025-03.
    Text,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Emitted {
    /// The tree of its text.
    Tree,
    /// What its names mean.
    Model,
    /// The plan, as meaning gives it.
    Plan,
    /// The plan that is evaluated.
    Rewritten,
    /// How rows are read for it, and why in this way; no row is read.
    Physical,
    /// The statements that a server is asked, as they can be run by hand.
    Sql,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// For people.
    Table,
    /// Raw exact values with a header.
    Csv,
    /// Raw exact values as objects.
    Json,
    /// A Markdown table.
    Markdown,
    /// A spreadsheet file; needs --to, as the next two do.
    Xlsx,
    /// A Parquet file.
    Parquet,
    /// An Arrow IPC file, or with --to - an Arrow IPC stream.
    Arrow,
}

impl Format {
    /// The format that the ending of a file says.
    pub(crate) fn of(file: &std::path::Path) -> Option<Self> {
        Some(match file.extension()?.to_string_lossy().to_ascii_lowercase().as_str() {
            "txt" => Self::Table,
            "csv" => Self::Csv,
            "json" => Self::Json,
            "md" => Self::Markdown,
            "xlsx" => Self::Xlsx,
            "parquet" => Self::Parquet,
            "arrow" => Self::Arrow,
            _ => return None,
        })
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Shape {
    /// One column per member on columns.
    Grid,
    /// One column per key and measure.
    Tidy,
}
