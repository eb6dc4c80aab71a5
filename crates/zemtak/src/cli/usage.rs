//! Errors in a command line, shown like all other errors.

use clap::error::{ContextKind, ContextValue, ErrorKind};
use std::error::Error;
use std::num::ParseIntError;
use zemtak_build::settings::our_word_for;
use zemtak_build::{Failure, Problem, ProblemKind};

const HELP: &str = "add --help to the command to see what it takes";

/// What is wrong, at which argument, and why.
type Fault = (ProblemKind, String, String);

/// The parser's error in our form.
pub fn failure(error: &clap::Error) -> Failure {
    let of = |kind| text(error, kind);
    let (what, place, why) = match error.kind() {
        ErrorKind::UnknownArgument => unknown_option(error),
        ErrorKind::InvalidSubcommand => unknown_command(error),
        ErrorKind::InvalidValue => value_of_none(error),
        ErrorKind::ValueValidation => invalid_value(error),
        ErrorKind::MissingRequiredArgument => missing(&of(ContextKind::InvalidArg)),
        ErrorKind::ArgumentConflict => conflict(of(ContextKind::InvalidArg), &of(ContextKind::PriorArg)),
        ErrorKind::MissingSubcommand => {
            (ProblemKind::MissingCommand, "zemtak".into(), "expected one of its commands".into())
        }
        _ => (ProblemKind::InvalidCommandLine, of(ContextKind::InvalidArg), first_line(error)),
    };
    Problem::usage(what, &place, why, HELP).into()
}

fn unknown_command(error: &clap::Error) -> Fault {
    // The most likely one comes last.
    let near = match error.get(ContextKind::SuggestedSubcommand) {
        Some(ContextValue::Strings(all)) => near(all.last().map_or("", String::as_str)),
        other => near(&other.map(words).unwrap_or_default()),
    };
    let command = text(error, ContextKind::InvalidSubcommand);
    (ProblemKind::UnknownCommand, command, format!("there is no such command{near}"))
}

/// A value that is not one of those that an option can have, or none at all.
fn value_of_none(error: &clap::Error) -> Fault {
    let of = |kind| text(error, kind);
    let (option, value) = (of(ContextKind::InvalidArg), of(ContextKind::InvalidValue));
    if value.is_empty() {
        return (ProblemKind::MissingValue, option, format!("expected{}", choices(error)));
    }
    let near = near(&of(ContextKind::SuggestedValue));
    let expected = if near.is_empty() { "; expected" } else { " Expected" };
    let why = format!("'{value}' is not one of its values{near}{expected}{}", choices(error));
    (ProblemKind::InvalidValue, option, why)
}

/// A value that cannot be read.
fn invalid_value(error: &clap::Error) -> Fault {
    let of = |kind| text(error, kind);
    let value = of(ContextKind::InvalidValue);
    let why = match error.source() {
        Some(source) if source.is::<ParseIntError>() => format!("'{value}' is not a whole number"),
        Some(source) => reason(&source.to_string()),
        None => format!("'{value}' is not allowed"),
    };
    (ProblemKind::InvalidValue, of(ContextKind::InvalidArg), why)
}

fn missing(argument: &str) -> Fault {
    let (place, many) = alternatives(argument);
    let why = match many {
        true => "one of them is required",
        false if place.contains(", ") => "they are required",
        false => "it is required",
    };
    (ProblemKind::MissingArgument, place, why.into())
}

fn conflict(one: String, other: &str) -> Fault {
    let why =
        if one == other { "it was given twice".into() } else { format!("it cannot be used together with {other}") };
    (ProblemKind::ConflictingOptions, one, why)
}

/// Arguments one of which is required, as a sentence names them, and whether there are several.
fn alternatives(argument: &str) -> (String, bool) {
    let inner = argument.strip_prefix("<--").and_then(|inner| inner.strip_suffix('>'));
    let Some(inner) = inner.filter(|inner| inner.contains('|')) else { return (argument.to_owned(), false) };
    let options: Vec<String> = format!("--{inner}").split('|').map(|option| option.replace(['<', '>'], "")).collect();
    let (last, others) = options.split_last().map_or(("", &[][..]), |(last, others)| (last.as_str(), others));
    (format!("{} or {last}", others.join(", ")), true)
}

/// What a value's parser says: a whole sentence, or what it expects.
fn reason(text: &str) -> String {
    match text.split_once(" is not in ").and_then(|(value, range)| Some((value, range.split_once("..=")?))) {
        Some((value, (from, to))) => format!("{value} is out of range: expected {from} to {to}"),
        None if text.contains(" is ") || text.contains(" cannot ") => text.to_owned(),
        None => format!("expected {text}"),
    }
}

fn unknown_option(error: &clap::Error) -> Fault {
    let option = text(error, ContextKind::InvalidArg);
    let name = option.trim_start_matches('-').split('=').next().unwrap_or_default();
    if !option.starts_with('-') {
        return (ProblemKind::UnexpectedArgument, option, "the command takes no more arguments".to_owned());
    }
    let suggested = text(error, ContextKind::SuggestedArg);
    let why = match our_word_for(name) {
        Some(ours) => format!("here that is {ours}; as an option with '-' in the place of '_' and '.'"),
        None => format!("there is no such option{}", near(&suggested)),
    };
    (ProblemKind::UnknownOption, option, why)
}

fn near(suggested: &str) -> String {
    if suggested.is_empty() { String::new() } else { format!("; did you mean {suggested}?") }
}

/// The possible values, if there is a list of them.
fn choices(error: &clap::Error) -> String {
    let valid = text(error, ContextKind::ValidValue);
    if valid.is_empty() { " a value".into() } else { format!(" one of {valid}") }
}

/// What the parser tells under this heading; empty if nothing.
fn text(error: &clap::Error, kind: ContextKind) -> String {
    error.get(kind).map(words).unwrap_or_default()
}

fn words(value: &ContextValue) -> String {
    match value {
        ContextValue::Strings(all) => all.join(", "),
        ContextValue::String(one) => one.clone(),
        other => other.to_string(),
    }
}

/// The parser's own message, without its heading.
fn first_line(error: &clap::Error) -> String {
    let text = error.render().to_string();
    let line = text.lines().next().unwrap_or_default();
    line.strip_prefix("error: ").unwrap_or(line).to_owned()
}
