//! The command `draw`.

use crate::Exit;
use crate::arguments::{Draw, PictureFormat, Surroundings};
use crate::commands::{givens, open_model};
use crate::files::{not_of_model, write_file};
use crate::output::{answer, failure, remark, width};
use std::path::{Path, PathBuf};
use vembra::{Align, Error, Page, Picture, PictureError, Session, TextTable, Theme, View, tame_lines};

pub(crate) fn draw(arguments: &Draw) -> Exit {
    let given = match givens(&arguments.given) {
        Ok(given) => given,
        Err(exit) => return exit,
    };
    let targets = match targets(arguments) {
        Ok(targets) => targets,
        Err(exit) => return exit,
    };
    let session = match open_model(&arguments.opened) {
        Ok(session) => session,
        Err(exit) => return exit,
    };
    if arguments.names.is_empty() {
        return list(&session);
    }
    for (file, _) in &targets {
        if let Err(exit) = not_of_model(&session, file) {
            return exit;
        }
    }
    let mut exit = Exit::Fine;
    for (at, name) in arguments.names.iter().enumerate() {
        let target = targets.get(at);
        let as_page = matches!(target, Some((_, PictureFormat::Html)));
        let drawn = match Drawn::new(&session, name, &given, arguments.size, as_page) {
            Ok(drawn) => drawn,
            Err(error) => return failure(&error),
        };
        if let (Some(_), Some(why)) = (target, drawn.refusal()) {
            remark(&format!("error: {name}: {why}\n"));
            exit = Exit::Wrong;
            continue;
        }
        let next = match target {
            Some((file, format)) => {
                remark(&drawn.size_note(*format));
                write(arguments, &drawn, file, *format)
            }
            None => answer(&drawn.text(arguments.width.or_else(width))),
        };
        if next != Exit::Fine {
            exit = next;
        }
    }
    exit
}

fn list(session: &Session) -> Exit {
    let names = session.drawn_names();
    if names.is_empty() {
        remark(
            "the model has no reports; declare one, such as:\n  report by_month 'Revenue by month' =\n      rows calendar.month show revenue\n    drawn as line along calendar.month\n",
        );
        return Exit::Fine;
    }
    let mut table = TextTable::new(vec![Align::Left, Align::Left]);
    table.heading(vec!["name".to_owned(), "title".to_owned()]);
    names.into_iter().for_each(|(name, title)| table.row(vec![name.to_owned(), title]));
    answer(&table.to_string())
}

/// A report as a picture of its own, or a page.
enum Drawn {
    Picture(Box<Picture>, View),
    Page(Page),
}

impl Drawn {
    /// Dashboards are pages, and so is a report that is written as one.
    fn new(
        session: &Session,
        name: &str,
        given: &[(&str, &str)],
        size: Option<(u32, u32)>,
        as_page: bool,
    ) -> Result<Self, Error> {
        if as_page || session.model().dashboards.iter().any(|d| d.name == name) {
            let mut page = session.page(name, given)?;
            page.size = size.unwrap_or(page.size);
            return Ok(Self::Page(page));
        }
        let picture = session.report(name, given)?;
        let view = size.map_or_else(|| picture.natural_size(), |(width, height)| View::new(width, height));
        Ok(Self::Picture(Box::new(picture), view))
    }

    /// Why it is not drawn.
    fn refusal(&self) -> Option<String> {
        match self {
            Self::Picture(picture, _) => picture.refusal(),
            Self::Page(_) => None,
        }
    }

    /// Says where a page needs more height than it was given.
    fn size_note(&self, format: PictureFormat) -> String {
        let Self::Page(page) = self else { return String::new() };
        let needed =
            page.needs_height().filter(|_| matches!(format, PictureFormat::Png | PictureFormat::Svg));
        needed.map_or_else(String::new, |height| {
            let (width, asked) = page.size;
            format!("note: what stands on the page needs {width}x{height}; it was to have {width}x{asked}\n")
        })
    }

    fn text(&self, width: Option<usize>) -> String {
        match self {
            Self::Picture(picture, _) => picture.text(width),
            Self::Page(page) => page.text(width),
        }
    }

    fn bytes(&self, format: PictureFormat, scale: f64, theme: Theme) -> Result<Vec<u8>, PictureError> {
        Ok(match (format, self) {
            (PictureFormat::Svg, Self::Picture(picture, view)) => picture.svg(*view).into_bytes(),
            (PictureFormat::Svg, Self::Page(page)) => page.svg().into_bytes(),
            (PictureFormat::Png, Self::Picture(picture, view)) => picture.png(*view, scale, theme)?,
            (PictureFormat::Png, Self::Page(page)) => page.png(scale, theme)?,
            (PictureFormat::Html, Self::Page(page)) => page.html().into_bytes(),
            (PictureFormat::Txt | PictureFormat::Html, _) => tame_lines(&self.text(None)).into_bytes(),
        })
    }
}

fn write(arguments: &Draw, drawn: &Drawn, file: &Path, format: PictureFormat) -> Exit {
    let theme = match arguments.theme {
        Surroundings::Light => Theme::Light,
        Surroundings::Dark => Theme::Dark,
    };
    let bytes = match (format, arguments.width) {
        (PictureFormat::Txt, Some(width)) => Ok(tame_lines(&drawn.text(Some(width))).into_bytes()),
        _ => drawn.bytes(format, arguments.scale, theme),
    };
    match bytes {
        Ok(bytes) => write_file(file, &bytes),
        Err(error) => {
            remark(&format!("error: {}: {error}\n", file.display()));
            Exit::Wrong
        }
    }
}

/// The file per name, with what it is.
fn targets(arguments: &Draw) -> Result<Vec<(PathBuf, PictureFormat)>, Exit> {
    let Some(to) = &arguments.to else {
        if arguments.format.is_some() {
            remark(
                "error: --format says what the files in a folder are: give the folder too, with --to FOLDER/\n",
            );
            return Err(Exit::Wrong);
        }
        return Ok(Vec::new());
    };
    let folder = to.is_dir() || to.as_os_str().to_string_lossy().ends_with(['/', '\\']);
    if folder {
        if let Err(error) = std::fs::create_dir_all(to) {
            remark(&format!("error: the folder {} cannot be made: {error}\n", to.display()));
            return Err(Exit::Outside);
        }
        let format = arguments.format.unwrap_or(PictureFormat::Svg);
        let file = |name: &String| (to.join(format!("{}.{}", safe(name), ending(format))), format);
        return Ok(arguments.names.iter().map(file).collect());
    }
    if arguments.names.len() > 1 {
        remark("error: several names need a folder, which takes one file each: --to charts/ --format png\n");
        return Err(Exit::Wrong);
    }
    let found = to.extension().map(|e| e.to_string_lossy().to_ascii_lowercase());
    let format = match found.as_deref() {
        Some("svg") => PictureFormat::Svg,
        Some("png") => PictureFormat::Png,
        Some("html" | "htm") => PictureFormat::Html,
        Some("txt") => PictureFormat::Txt,
        _ => {
            remark(&format!(
                "error: the ending of {} says no way to draw; use .svg, .png, .html or .txt, or a folder that ends with /\n",
                to.display()
            ));
            return Err(Exit::Wrong);
        }
    };
    Ok(vec![(to.clone(), format)])
}

fn ending(format: PictureFormat) -> &'static str {
    match format {
        PictureFormat::Svg => "svg",
        PictureFormat::Png => "png",
        PictureFormat::Html => "html",
        PictureFormat::Txt => "txt",
    }
}

/// A name that any file system takes.
fn safe(name: &str) -> String {
    name.chars().map(|c| if c.is_alphanumeric() || "_-.".contains(c) { c } else { '_' }).collect()
}
