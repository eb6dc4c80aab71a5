//! The keys that say how clips are played, in rules and in clips that are written out.

use crate::failure::ProblemKind;
use crate::settings::rule::Pace;
use crate::settings::{Events, Playing, WrittenClip};
use crate::toml_text::{Table, Text, Value};
use zemtak_core::atlas::Rate;
use zemtak_core::clip::Ratio;

/// The most steps of a clip for which events can be written.
const MOST_STEPS: u32 = 1 << 16;

/// Reads a clip with a list of steps.
pub fn clip<'t>(text: &Text<'t>, value: &Value<'t>) -> Option<WrittenClip> {
    let mut table = text.table(value, "a clip")?;
    let name = table.read("name", |v| text.string(v));
    let steps = table.read("steps", |v| text.list(v, |v| text.string(v)));
    let playing = playing(text, value, &mut table);
    let is_empty = name.as_ref().is_some_and(String::is_empty) || steps.as_ref().is_some_and(Vec::is_empty);
    if is_empty || !table.has("name") || !table.has("steps") {
        let why = "a clip has a 'name' and a list of 'steps', neither empty";
        text.wrong(ProblemKind::InvalidValue, value.span(), why);
    }
    table.end();
    Some(WrittenClip { name: name?, place: text.place(value.span().start), steps: steps?, playing })
}

/// Reads how clips are played.
pub fn playing<'t>(text: &Text<'t>, value: &Value<'t>, table: &mut Table<'_, 't>) -> Playing {
    let rate = table.read("fps", |v| rate(text, v)).map(Pace::Rate);
    let durations = table.read("ms", |v| durations(text, v)).map(Pace::Durations);
    if table.has("fps") && table.has("ms") {
        text.wrong(ProblemKind::InvalidValue, value.span(), "clips have 'fps' or 'ms', not both");
    }
    Playing {
        pace: durations.or(rate),
        mode: table.read("mode", |v| text.word(v)),
        events: table.read("events", |v| events(text, v)),
    }
}

/// Events by step: `{ 3 = ["step"] }`.
fn events<'t>(text: &Text<'t>, value: &Value<'t>) -> Option<Events> {
    let mut events = Events::new();
    for (key, span, words) in text.table(value, "events")?.all() {
        match key.parse::<u32>().ok().filter(|step| *step < MOST_STEPS && step.to_string() == key) {
            Some(step) => _ = events.insert(step, text.list(words, |v| text.string(v))?),
            None => {
                text.wrong(ProblemKind::InvalidValue, span, "events are written by step, from 0: { 3 = [\"step\"] }");
            }
        }
    }
    Some(events)
}

fn rate(text: &Text<'_>, value: &Value<'_>) -> Option<Rate> {
    let what = "a number of up to nine digits, 0 or more, or a ratio such as \"60000/1001\"";
    let rate = match value.get_ref().as_str() {
        Some(ratio) => Rate::Ratio(ratio.to_owned()),
        None => Rate::Number(text.number(value, what, |n| n >= 0.0)?),
    };
    // What is written must be what is played.
    let playable = match &rate {
        Rate::Number(fps) => rate.is_valid() && Ratio::parse(&fps.to_string()).is_ok(),
        Rate::Ratio(ratio) => Ratio::parse(ratio).is_ok() && rate.is_valid(),
    };
    if !playable {
        text.wrong(ProblemKind::InvalidValue, value.span(), &format!("expected {what}"));
    }
    playable.then_some(rate)
}

fn durations(text: &Text<'_>, value: &Value<'_>) -> Option<Vec<f64>> {
    let one = |v: &Value<'_>| text.number(v, "a number of milliseconds, 0 or more", |n| n >= 0.0);
    if !value.get_ref().is_array() {
        return one(value).map(|ms| vec![ms]);
    }
    let all = text.list(value, one)?;
    if all.is_empty() {
        text.wrong(ProblemKind::InvalidValue, value.span(), "a list of durations cannot be empty");
    }
    (!all.is_empty()).then_some(all)
}
