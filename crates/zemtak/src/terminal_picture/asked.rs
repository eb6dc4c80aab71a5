//! Whether the terminal supports the graphics escape: only the terminal itself can tell.

/// Offers a picture of one pixel without drawing it, then asks for the kind of terminal: every terminal answers the
/// second question.
const QUESTION: &[u8] = b"\x1b_Gi=31,s=1,v=1,a=q,t=d,f=24;AAAA\x1b\\\x1b[c";

/// How many tenths of a second to wait for an answer.
const PATIENCE: usize = 3;

/// Whether an answer confirms it.
fn says_yes(answer: &[u8]) -> bool {
    answer.windows(8).any(|part| part == b"_Gi=31;O")
}

/// Whether the second answer, which comes last, has arrived.
fn is_whole(answer: &[u8]) -> bool {
    let kind = answer.windows(3).position(|part| part == b"\x1b[?");
    kind.is_some_and(|at| answer[at..].contains(&b'c'))
}

/// Asks the terminal of standard output. One that cannot be asked supports nothing.
#[cfg(unix)]
pub fn knows_graphics() -> bool {
    use rustix::stdio::{stdin, stdout};
    use rustix::termios::{LocalModes, OptionalActions, SpecialCodeIndex, isatty, tcgetattr, tcsetattr};
    let plain = std::env::var("TERM").is_ok_and(|term| ["dumb", "linux"].contains(&term.as_str()));
    if plain || !isatty(stdin()) || !isatty(stdout()) {
        return false;
    }
    let Ok(before) = tcgetattr(stdin()) else { return false };
    let mut raw = before.clone();
    raw.local_modes.remove(LocalModes::ICANON | LocalModes::ECHO);
    raw.special_codes[SpecialCodeIndex::VMIN] = 0;
    raw.special_codes[SpecialCodeIndex::VTIME] = 1;
    if tcsetattr(stdin(), OptionalActions::Now, &raw).is_err() {
        return false;
    }
    let answer = ask();
    let _ = tcsetattr(stdin(), OptionalActions::Now, &before);
    says_yes(&answer)
}

#[cfg(unix)]
fn ask() -> Vec<u8> {
    use rustix::stdio::{stdin, stdout};
    let mut answer = Vec::new();
    if rustix::io::write(stdout(), QUESTION) != Ok(QUESTION.len()) {
        return answer;
    }
    let mut waited = 0;
    let mut piece = [0; 64];
    while !is_whole(&answer) && waited < PATIENCE {
        match rustix::io::read(stdin(), &mut piece) {
            Ok(0) => waited += 1,
            Ok(n) => answer.extend_from_slice(&piece[..n]),
            Err(_) => break,
        }
    }
    answer
}

/// Other systems have no way to ask that is worth its code.
#[cfg(not(unix))]
pub fn knows_graphics() -> bool {
    false
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_answer_is_told_from_none() {
        let (yes, no) = (b"\x1b_Gi=31;OK\x1b\\\x1b[?62;4c".as_slice(), b"\x1b[?64;1;2;6c".as_slice());
        assert!(says_yes(yes) && is_whole(yes) && !says_yes(no) && is_whole(no));
        assert!(!is_whole(b"\x1b_Gi=31;OK\x1b\\") && !says_yes(b"\x1b_Gi=31;ENOTSUPPORTED\x1b\\\x1b[?62c"));
    }
}
