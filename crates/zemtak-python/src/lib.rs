//! What the wheel calls: requests and answers cross the boundary as JSON, pixels as bytes. `python/zemtak` turns them
//! into objects.

use pyo3::create_exception;
use pyo3::exceptions::PyException;
use pyo3::prelude::*;
use pyo3::types::PyBytes;
use serde::Deserialize;
use serde_json::{Map, Value, json};
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use zemtak_build::project::Project;
use zemtak_build::{
    Allowance, AtlasDefect, Cause, Failure, Limits, Observer, PackRequest, Phase, Problem, ProblemKind, ScanRequest,
    Summary, Verify, format,
};
use zemtak_runtime::{AtlasFile, HashCheck, OpenError};

create_exception!(_zemtak, Problems, PyException);

/// Calls a Python function as the work progresses.
struct Told<'a> {
    function: Option<&'a Py<PyAny>>,
    /// The progress of each phase, and the exception that the function raised.
    state: Mutex<(Vec<(Phase, usize, Option<usize>)>, Option<PyErr>)>,
    stopped: AtomicBool,
}

impl<'a> Told<'a> {
    fn new(function: Option<&'a Py<PyAny>>) -> Self {
        Self { function, state: Mutex::default(), stopped: AtomicBool::new(false) }
    }

    fn tell(&self, phase: Phase, done: usize, total: Option<usize>) {
        let Some(function) = self.function else { return };
        let word = match phase {
            Phase::Surveying => "surveying",
            Phase::Reading => "reading",
            Phase::LayingOut => "laying out",
            Phase::Drawing => "drawing",
            Phase::Comparing => "comparing",
            _ => "working",
        };
        let goes_on = Python::attach(|py| {
            let answer = function.call1(py, (word, done, total))?;
            Ok(!answer.bind(py).is(pyo3::types::PyBool::new(py, false)))
        });
        if !matches!(goes_on, Ok(true)) {
            self.stopped.store(true, Ordering::Relaxed);
            if let (Err(error), Ok(mut state)) = (goes_on, self.state.lock()) {
                state.1.get_or_insert(error);
            }
        }
    }

    fn step(&self, phase: Phase, change: impl FnOnce(&mut (Phase, usize, Option<usize>))) {
        let Ok(mut state) = self.state.lock() else { return };
        let at = state.0.iter().position(|(known, ..)| *known == phase);
        let at = at.unwrap_or_else(|| {
            state.0.push((phase, 0, None));
            state.0.len() - 1
        });
        change(&mut state.0[at]);
        let (_, done, total) = state.0[at];
        drop(state);
        self.tell(phase, done, total);
    }

    /// An answer, the exception that the function raised, or the problems.
    fn end<T>(self, result: Result<T, Failure>) -> PyResult<T> {
        let raised = self.state.into_inner().ok().and_then(|(_, raised)| raised);
        match (raised, result) {
            (Some(raised), _) => Err(raised),
            (None, result) => result.map_err(|failure| problems(&failure)),
        }
    }
}

impl Observer for Told<'_> {
    fn began(&self, phase: Phase, total: Option<usize>) {
        self.step(phase, |state| *state = (phase, 0, total));
    }

    fn advanced(&self, phase: Phase) {
        self.step(phase, |state| state.1 += 1);
    }

    fn cancelled(&self) -> bool {
        self.stopped.load(Ordering::Relaxed)
    }
}

fn problems(failure: &Failure) -> PyErr {
    let told = serde_json::to_string(failure.problems()).unwrap_or_default();
    Problems::new_err((failure.cause() == Cause::Interrupted, told))
}

#[derive(Deserialize)]
struct Asked {
    paths: Vec<PathBuf>,
    project: Option<PathBuf>,
    out: Option<PathBuf>,
    name: Option<String>,
    root: Option<PathBuf>,
    fresh: bool,
    check: bool,
    options: Map<String, Value>,
}

impl Asked {
    /// Options are read like an atlas of a project file: with the same names, and the same help if one is wrong.
    fn request(self) -> Result<PackRequest, Failure> {
        let mut request = PackRequest::of_paths(self.paths);
        (request.project, request.store_from_environment) = (self.project, true);
        if !self.options.is_empty() {
            let wrong =
                |why: String| Problem::usage(ProblemKind::InvalidValue, "options", why, "docs/project.md has all keys");
            if request.paths.is_empty() {
                return Err(wrong("options are for paths; a project file has its own".into()).into());
            }
            let project = json!({ "format": 1, "atlas": { "options": self.options } });
            let text = toml::to_string(&project).map_err(|error| wrong(error.to_string()))?;
            let project = Project::read(Path::new("options"), &text)?;
            request.keys = project.atlases.into_iter().next().map(|(_, keys)| keys).unwrap_or_default();
        }
        (request.out, request.name, request.root) = (self.out, self.name, self.root);
        (request.fresh, request.check) = (self.fresh, self.check);
        Ok(request)
    }
}

#[pyfunction]
fn pack(py: Python<'_>, request: &str, progress: Option<Py<PyAny>>) -> PyResult<String> {
    let told = Told::new(progress.as_ref());
    let packed = py.detach(|| {
        let asked: Asked = serde_json::from_str(request)
            .map_err(|error| Problem::usage(ProblemKind::InvalidValue, "options", error.to_string(), ""))?;
        let packed = asked.request()?.run(&told)?;
        let inputs: Vec<String> = packed.inputs.paths().map(|path| format::path(path)).collect();
        let warnings: Vec<String> = packed.all_warnings().iter().map(ToString::to_string).collect();
        let atlases: Vec<Value> = packed.atlases.iter().map(Summary::to_json).collect();
        Ok(json!({ "atlases": atlases, "warnings": warnings, "inputs": inputs }).to_string())
    });
    told.end(packed)
}

#[pyfunction]
fn verify(
    py: Python<'_>,
    descriptor: PathBuf,
    against: Option<PathBuf>,
    project: Option<PathBuf>,
    mips: Option<u32>,
    progress: Option<Py<PyAny>>,
) -> PyResult<String> {
    let told = Told::new(progress.as_ref());
    let proof = py.detach(|| {
        let file = AtlasFile::open(&descriptor).map_err(|error| unopened(&error))?;
        let proof = Verify {
            descriptor: &descriptor,
            atlas: file.atlas(),
            unknown_keys: file.unknown_keys(),
            read: &|page, layer| Ok(file.read_image(page, layer, HashCheck::Yes)?),
            against: against.as_deref(),
            project: project.as_deref(),
            mips,
            allowance: &Allowance::new(Limits::default()),
        }
        .run(&told)?;
        Failure::unless(proof.problems, proof.defects)
    });
    let defect =
        |defect: &AtlasDefect| json!({ "code": defect.code(), "about": defect.about(), "text": defect.to_string() });
    let defects: Vec<Value> = told.end(proof)?.iter().map(defect).collect();
    Ok(Value::from(defects).to_string())
}

/// An error and its causes.
fn whole(error: &OpenError) -> String {
    let cause = std::error::Error::source(error).map(|cause| format!(": {cause}"));
    format!("{error}{}", cause.unwrap_or_default())
}

fn unopened(error: &OpenError) -> Failure {
    let flaws = match error {
        OpenError::Flawed { flaws, .. } => flaws.iter().map(|flaw| format!("\n{flaw}")).collect(),
        _ => String::new(),
    };
    let why = whole(error) + &flaws;
    Problem::bad_input(ProblemKind::UnusableDescriptor, "", why, "build it again with zemtak.pack").into()
}

#[pyfunction]
fn scan(py: Python<'_>, paths: Vec<PathBuf>, progress: Option<Py<PyAny>>) -> PyResult<String> {
    let told = Told::new(progress.as_ref());
    let scanned = py.detach(|| ScanRequest { paths, project: None, limits: Limits::default() }.run(&told));
    let scanned = told.end(scanned)?;
    let item = |item: &zemtak_build::FindingItem| json!({ "about": item.about, "detail": item.detail });
    let findings = scanned.findings.iter().map(|finding| {
        let items: Vec<Value> = finding.items.iter().map(item).collect();
        json!({ "code": finding.kind.code(), "severity": finding.kind.severity().code(), "items": items })
    });
    let sprites = scanned
        .sprites
        .iter()
        .map(|sprite| json!({ "sprite": sprite.name, "file": sprite.file, "canvas": sprite.canvas }));
    let (findings, sprites) = (findings.collect::<Vec<_>>(), sprites.collect::<Vec<_>>());
    Ok(json!({ "sprites": sprites, "formats": scanned.formats, "skipped": scanned.skipped, "findings": findings })
        .to_string())
}

#[pyfunction]
fn page<'py>(py: Python<'py>, descriptor: PathBuf, index: i64) -> PyResult<(u32, u32, Bound<'py, PyBytes>)> {
    let pixels = py.detach(|| {
        let negative =
            |_| Problem::usage(ProblemKind::InvalidValue, "index", format!("{index} is below 0"), "pages count from 0");
        let index = usize::try_from(index).map_err(negative)?;
        let file = AtlasFile::open(&descriptor).map_err(|error| unopened(&error))?;
        file.read_page(index, HashCheck::Yes).map_err(|error| unopened(&error))
    });
    let pixels = pixels.map_err(|failure| problems(&failure))?;
    Ok((pixels.size().w, pixels.size().h, PyBytes::new(py, pixels.as_bytes())))
}

#[pymodule]
fn _zemtak(module: &Bound<'_, PyModule>) -> PyResult<()> {
    zemtak_build::hush_codec_panics();
    module.add("Problems", module.py().get_type::<Problems>())?;
    module.add_function(wrap_pyfunction!(pack, module)?)?;
    module.add_function(wrap_pyfunction!(verify, module)?)?;
    module.add_function(wrap_pyfunction!(scan, module)?)?;
    module.add_function(wrap_pyfunction!(page, module)?)
}
