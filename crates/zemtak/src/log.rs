//! The log of what the tool does inside, on standard error.

use tracing_subscriber::filter::LevelFilter;
use tracing_subscriber::fmt::format::FmtSpan;
use tracing_subscriber::fmt::time::uptime;

/// Starts logging: phases at depth 1, each stage of each file above that. A line begins with the seconds since now.
pub fn to_stderr(depth: u8) {
    let level = match depth {
        0 => return,
        1 => LevelFilter::DEBUG,
        _ => LevelFilter::TRACE,
    };
    let log = tracing_subscriber::fmt().with_max_level(level).with_writer(std::io::stderr).with_timer(uptime());
    let log = log.with_span_events(FmtSpan::CLOSE).with_target(false).with_ansi(false);
    // A second call in one process does nothing: the first logger stays.
    let _ = log.try_init();
}
