//! What a profiler is told, with the feature `tracing`.

#![allow(clippy::unwrap_used, reason = "a test may fail loudly")]

use std::sync::{Arc, Mutex};
use zemtak_core::codec::{PngEffort, encode_png};
use zemtak_runtime::geometry::Size;
use zemtak_runtime::{Cache, MemoryFiles, MemorySink, PerFrame, Pixels, Settings};

/// Where time goes shows in a profiler: what is read and made, inside the pump where that does it.
#[test]
fn a_profiler_sees_spans_and_what_is_wrong() {
    #[derive(Clone, Default)]
    struct Log(Arc<Mutex<Vec<u8>>>);
    impl std::io::Write for Log {
        fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
            self.0.lock().unwrap().write(bytes)
        }
        fn flush(&mut self) -> std::io::Result<()> {
            Ok(())
        }
    }
    let log = Log::default();
    let own = log.clone();
    let format = tracing_subscriber::fmt().without_time().with_target(false).with_ansi(false);
    let log_all = format
        .with_max_level(tracing_subscriber::filter::LevelFilter::DEBUG)
        .with_span_events(tracing_subscriber::fmt::format::FmtSpan::NEW)
        .with_writer(move || own.clone());
    let _logging = tracing_subscriber::util::SubscriberInitExt::set_default(log_all.finish());
    let files = MemoryFiles::new();
    let moth = Pixels::from_rgba(Size::new(2, 3), [7; 24].to_vec()).unwrap();
    files.put("moth.png", encode_png(&moth, PngEffort::Fast).unwrap());
    let settings = Settings { workers: Some(0), ..Settings::over(files.clone()) };
    let (cache, mut pump) = Cache::new(settings, MemorySink::new());
    pump.wait(&cache.lease("moth.png")).unwrap();
    // Again, from its file: what was read with the news of it is a texture already.
    cache.set_budget(0);
    pump.pump(PerFrame::UNLIMITED);
    pump.wait(&cache.lease("moth.png")).unwrap();
    assert!(pump.wait(&cache.lease("none.png")).is_err());
    let text = String::from_utf8(log.0.lock().unwrap().clone()).unwrap();
    for line in [
        "DEBUG pump: new",
        "DEBUG pump:open{what=\"moth.png\"}: new",
        "decode{what=\"moth.png\"}: new",
        "make{what=\"moth.png\"}: new",
        "moth.png was loaded bytes=24",
        "WARN pump: none.png: no root has it",
    ] {
        assert!(text.contains(line), "{line}\n{text}");
    }
}
