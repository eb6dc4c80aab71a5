//! The `zemtak` binary: parses the command line, runs it, prints the answer.

use std::process::ExitCode;

fn main() -> ExitCode {
    zemtak::main()
}
