//! The models that are open in an editor.

use super::places::{Encoding, Lines, path_of, uri_of};
use crate::advice::in_options;
use crate::arguments::{Keep, Lsp};
use crate::cache;
use crate::output::styled;
use lsp_types::{
    Diagnostic, DiagnosticRelatedInformation, DiagnosticSeverity, Location, NumberOrString,
    PublishDiagnosticsParams, Range, Uri,
};
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use vembra::{Draft, Reading, Severity, SourceId, Span, direct_path};

/// How far up mains are looked for.
const MOST_STEPS: usize = 8;

pub(super) struct Workspace {
    pub(super) encoding: Encoding,
    /// The main file that was named, if one was.
    main: Option<PathBuf>,
    outside: bool,
    keep: Keep,
    models: BTreeMap<PathBuf, Opened>,
    /// Files that something was said of, which has to be taken back.
    told: BTreeSet<PathBuf>,
    /// Whether something has changed since all was said.
    changed: bool,
}

/// A model with its newest meaning.
pub(super) struct Opened {
    pub(super) draft: Draft,
    reading: Option<Reading>,
    /// Whether texts have changed since.
    stale: bool,
    /// The texts that are open, as they are now.
    texts: BTreeMap<PathBuf, String>,
}

/// A text of a model at hand.
pub(super) struct At<'w> {
    pub(super) reading: &'w Reading,
    pub(super) source: SourceId,
}

impl At<'_> {
    pub(super) fn text(&self) -> &str {
        self.reading.model.sources.text(self.source)
    }
}

impl Opened {
    pub(super) fn reading(&mut self) -> &Reading {
        if std::mem::take(&mut self.stale) {
            self.reading = None;
        }
        self.reading.get_or_insert_with(|| read(&mut self.draft))
    }
}

/// Reads a draft; what was read for it is kept beside what follows.
fn read(draft: &mut Draft) -> Reading {
    let reading = draft.read();
    if let Some(keep) = draft.unkept() {
        std::thread::spawn(move || {
            if let Err(error) = keep() {
                styled(&error.render(false));
            }
        });
    }
    reading
}

impl Workspace {
    pub(super) fn new(arguments: &Lsp, encoding: Encoding) -> Self {
        Self {
            encoding,
            main: arguments.model.as_ref().map(|m| direct_path(m)),
            outside: arguments.allow_outside,
            keep: arguments.keep.clone(),
            models: BTreeMap::new(),
            told: BTreeSet::new(),
            changed: false,
        }
    }

    /// Takes the text of a file, which is opened or changed.
    pub(super) fn open(&mut self, uri: &Uri, text: String) {
        let Some(path) = path_of(uri).map(|p| direct_path(&p)) else { return };
        let main = self.main_of(&path);
        let (outside, keep) = (self.outside, self.keep.clone());
        let draft = || {
            let draft = Draft::new(&main).allow_outside(outside);
            match cache::place(&keep) {
                Some(cache) => draft.cache(cache),
                None => draft,
            }
        };
        let opened = self.models.entry(main.clone()).or_insert_with(|| Opened {
            draft: draft(),
            reading: None,
            stale: false,
            texts: BTreeMap::new(),
        });
        opened.draft.write(&path, text.clone());
        opened.texts.insert(path, text);
        opened.stale = true;
        self.changed = true;
    }

    pub(super) fn close(&mut self, uri: &Uri) {
        let Some(path) = path_of(uri).map(|p| direct_path(&p)) else { return };
        for opened in self.models.values_mut().filter(|o| o.texts.contains_key(&path)) {
            opened.draft.close(&path);
            opened.texts.remove(&path);
            opened.stale = true;
        }
        // A model of which no text is open any more is of no interest.
        self.models.retain(|_, opened| !opened.texts.is_empty());
        self.changed = true;
    }

    pub(super) fn changed_on_disk(&mut self) {
        self.models.values_mut().for_each(|opened| opened.stale = true);
        self.changed = true;
    }

    /// The main file of the model to which a file belongs: the one named, one that is open already, or one beside it that includes it.
    fn main_of(&self, path: &Path) -> PathBuf {
        if let Some(main) = &self.main
            && Draft::new(main).allow_outside(self.outside).texts().iter().any(|t| t == path)
        {
            return main.clone();
        }
        if let Some((main, _)) = self.models.iter().find(|(_, o)| o.texts.contains_key(path)) {
            return main.clone();
        }
        let mut main = path.to_owned();
        for _ in 0..MOST_STEPS {
            match including(&main) {
                Some(next) => main = next,
                None => break,
            }
        }
        main
    }

    pub(super) fn model_of(&mut self, uri: &Uri) -> Option<(&mut Opened, PathBuf)> {
        let path = direct_path(&path_of(uri)?);
        let opened = self.models.values_mut().find(|o| o.texts.contains_key(&path))?;
        Some((opened, path))
    }

    /// The newest meaning of the model to which a text belongs.
    pub(super) fn at(&mut self, uri: &Uri) -> Option<At<'_>> {
        let (opened, path) = self.model_of(uri)?;
        let reading = opened.reading();
        let source = source_of(reading, &path)?;
        Some(At { reading, source })
    }

    /// A text as it is now, and what its model meant a moment ago: enough for what may be typed next, without reading all again.
    pub(super) fn typed(&mut self, uri: &Uri) -> Option<(&Reading, &str)> {
        let (opened, path) = self.model_of(uri)?;
        let text = opened.texts.get(&path)?;
        let reading = opened.reading.get_or_insert_with(|| read(&mut opened.draft));
        Some((reading, text))
    }

    /// Whether something has changed since all was said.
    pub(super) fn has_news(&self) -> bool {
        self.changed
    }

    /// What is to be said of all files of models, and of files of which nothing is to be said any more.
    pub(super) fn news(&mut self) -> Vec<PublishDiagnosticsParams> {
        self.changed = false;
        let mut found: BTreeMap<PathBuf, Vec<Diagnostic>> = BTreeMap::new();
        for opened in self.models.values_mut() {
            collect(opened.reading(), self.encoding, &mut found);
        }
        let gone: Vec<PathBuf> = self.told.iter().filter(|p| !found.contains_key(*p)).cloned().collect();
        self.told = found.keys().cloned().collect();
        let all = found.into_iter().chain(gone.into_iter().map(|p| (p, Vec::new())));
        let params = |(path, diagnostics): (PathBuf, _)| {
            Some(PublishDiagnosticsParams { uri: uri_of(&path)?, diagnostics, version: None })
        };
        all.filter_map(params).collect()
    }
}

/// The text of a model that is a file.
fn source_of(reading: &Reading, path: &Path) -> Option<SourceId> {
    let sources = &reading.model.sources;
    let all = (0..sources.count()).map(|at| SourceId(at as u32));
    all.into_iter().find(|id| direct_path(Path::new(sources.name(*id))) == *path)
}

/// A model file beside this one, or one folder up, that includes it.
fn including(path: &Path) -> Option<PathBuf> {
    let folder = path.parent()?;
    let folders = [Some(folder), folder.parent()];
    for folder in folders.into_iter().flatten() {
        let Ok(entries) = std::fs::read_dir(folder) else { continue };
        let mut others: Vec<PathBuf> = entries.filter_map(|e| Some(e.ok()?.path())).collect();
        others.sort();
        let model = |p: &&PathBuf| p.extension().is_some_and(|e| e == "vembra") && **p != *path;
        let includes = |other: &&PathBuf| {
            let text = std::fs::read_to_string(other).unwrap_or_default();
            vembra_editor::includes(&text).iter().any(|file| direct_path(&folder.join(file)) == *path)
        };
        if let Some(other) = others.iter().filter(model).find(includes) {
            return Some(other.clone());
        }
    }
    None
}

fn collect(reading: &Reading, encoding: Encoding, found: &mut BTreeMap<PathBuf, Vec<Diagnostic>>) {
    let sources = &reading.model.sources;
    for id in (0..sources.count()).map(|at| SourceId(at as u32)) {
        found.entry(direct_path(Path::new(sources.name(id)))).or_default();
    }
    let texts = (0..sources.count()).map(|at| Lines::of(sources.text(SourceId(at as u32)), encoding));
    let lines: Vec<Lines<'_>> = texts.collect();
    let range = |span: Span| {
        lines.get(span.source.0 as usize).map_or_else(Range::default, |l| l.range(span.start, span.end))
    };
    let location = |span: Span| {
        let uri = uri_of(&direct_path(Path::new(sources.name(span.source))))?;
        Some(Location { uri, range: range(span) })
    };
    for d in &reading.diagnostics {
        let Some(first) = d.labels.first() else { continue };
        let others = d.labels.iter().skip(1).filter_map(|l| {
            Some(DiagnosticRelatedInformation { location: location(l.span)?, message: l.text.clone() })
        });
        let help = d.help.iter().map(|h| format!("\nhelp: {}", h.text)).collect::<String>();
        let said = Diagnostic {
            range: range(first.span),
            severity: Some(severity(d.severity)),
            code: Some(NumberOrString::String(d.code.to_string())),
            source: Some("vembra".to_owned()),
            message: in_options(&format!("{}{help}", d.message)),
            related_information: Some(others.collect()),
            ..Diagnostic::default()
        };
        found.entry(direct_path(Path::new(sources.name(first.span.source)))).or_default().push(said);
    }
    for (span, finding) in reading.findings.iter().filter(|(_, f)| f.severity != Severity::Note) {
        let text = sources.text(span.source);
        let line = text[span.start..].split('\n').next().map_or(0, str::len);
        let said = Diagnostic {
            range: range(Span { end: (span.start + line).min(span.end), ..*span }),
            severity: Some(severity(finding.severity)),
            code: Some(NumberOrString::String(finding.code.to_string())),
            source: Some("vembra".to_owned()),
            message: in_options(&format!("{finding}\nhelp: {}", finding.help)),
            ..Diagnostic::default()
        };
        found.entry(direct_path(Path::new(sources.name(span.source)))).or_default().push(said);
    }
}

fn severity(severity: Severity) -> DiagnosticSeverity {
    match severity {
        Severity::Error => DiagnosticSeverity::ERROR,
        Severity::Warning => DiagnosticSeverity::WARNING,
        Severity::Note => DiagnosticSeverity::INFORMATION,
    }
}
