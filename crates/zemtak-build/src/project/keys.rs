//! The keys of an atlas and of its rules, read from a project file.

use super::clips;
use crate::failure::ProblemKind;
use crate::forms::is_constant;
use crate::limits::{LIMITS, Limits};
use crate::settings::rule::{Membership, Overrides, Pivot, Rule};
use crate::settings::{Also, Keys, Keyword, LayerRule, LayerRules, MOST_MIP_LEVELS, OtherSize, WIDEST_SPACE};
use crate::store::{Access, SharedSettings};
use crate::toml_text::{Text, Value};
use std::collections::BTreeMap;
use toml::de::DeValue;
use zemtak_core::geometry::LONGEST_SIDE;
use zemtak_core::geometry::Size;
use zemtak_core::resample::Resample;

const DECIBELS: &str = "a number of decibels from 1 to 100";

/// The name of a constant.
fn ident(text: &Text<'_>, value: &Value<'_>) -> Option<String> {
    let name = text.string(value)?;
    if is_constant(&name) {
        return Some(name);
    }
    text.wrong(
        ProblemKind::InvalidValue,
        value.span(),
        "expected a name in capitals such as \"MOTH_2\": A-Z, 0-9 and _, a letter first",
    );
    None
}

/// Reads an atlas or the defaults.
pub fn atlas<'t>(text: &Text<'t>, value: &Value<'t>, of: &'static str) -> Keys {
    let mut keys = Keys::default();
    let Some(mut table) = text.table(value, of) else { return keys };
    keys.root = table.read("root", |v| text.path(v));
    keys.take = table.read("take", |v| text.list(v, |v| text.parsed(v, "a glob")));
    keys.leave = table.read("leave", |v| text.list(v, |v| text.parsed(v, "a glob")));
    keys.layout = table.read("layout", |v| text.word(v));
    keys.effort = table.read("effort", |v| text.word(v));
    table.read("page", |v| page(text, v, &mut keys));
    keys.gutter = table.read("gutter", |v| text.whole(v, 0..WIDEST_SPACE + 1));
    keys.margin = table.read("margin", |v| text.whole(v, 0..WIDEST_SPACE + 1));
    keys.extrude = table.read("extrude", |v| text.whole(v, 0..WIDEST_SPACE + 1));
    keys.turn = table.read("turn", |v| text.truth(v));
    keys.trim = table.read("trim", |v| text.truth(v));
    keys.visible_alpha = table.read("visible_alpha", |v| text.whole(v, 1..256).and_then(|n| n.try_into().ok()));
    keys.share_twins = table.read("share_twins", |v| text.truth(v));
    keys.together = table.read("together", |v| text.word(v));
    keys.alpha = table.read("alpha", |v| text.word(v));
    keys.fringe = table.read("fringe", |v| text.truth(v));
    keys.mip_levels = table.read("mip_levels", |v| text.whole(v, 0..MOST_MIP_LEVELS + 1));
    keys.filter = table.read("filter", |v| text.word(v));
    keys.pages_as = table.read("pages_as", |v| text.word(v));
    keys.png = table.read("png", |v| text.word(v));
    keys.pixels = table.read("pixels", |v| text.word(v));
    keys.least_psnr = table.read("least_psnr", |v| text.number(v, DECIBELS, |n| (1.0..=100.0).contains(&n)));
    keys.zstd = table.read("zstd", |v| text.truth(v));
    keys.unorm = table.read("unorm", |v| text.truth(v));
    keys.names = table.read("names", |v| text.word(v));
    keys.also = table.read("also", |v| text.list(v, |v| text.parsed::<Also>(v, "a text")));
    keys.sizes = table.read("sizes", |v| text.list(v, |v| size(text, v)));
    keys.rules = table.read("rule", |v| text.list(v, |v| rule(text, v)));
    keys.clips = table.read("clip", |v| text.list(v, |v| clips::clip(text, v)));
    keys.places.extend(table.end());
    keys
}

fn page<'t>(text: &Text<'t>, value: &Value<'t>, keys: &mut Keys) -> Option<()> {
    let mut table = text.table(value, "page")?;
    keys.page_max = table.read("max", |v| page_size(text, v));
    keys.page_shape = table.read("shape", |v| text.word(v));
    keys.page_step = table.read("step", |v| text.whole(v, 1..LONGEST_SIDE + 1));
    let longest = f64::from(LONGEST_SIDE);
    let what = format!("a number from 1 to {LONGEST_SIDE}");
    keys.page_aspect = table.read("aspect", |v| text.number(v, &what, |n| (1.0..=longest).contains(&n)));
    keys.page_prefer = table.read("prefer", |v| text.word(v));
    keys.page_size = table.read("size", |v| page_size(text, v));
    keys.page_same_size = table.read("same_size", |v| text.truth(v));
    keys.page_count = table.read("count", |v| text.whole(v, 1..65_536).and_then(|n| n.try_into().ok()));
    keys.places.extend(table.end().into_iter().filter(|(key, _)| *key == "count"));
    Some(())
}

fn page_size(text: &Text<'_>, value: &Value<'_>) -> Option<Size> {
    let [w, h] = text.exactly(value, |v| text.whole(v, 1..LONGEST_SIDE + 1))?;
    Some(Size::new(w, h))
}

fn size<'t>(text: &Text<'t>, value: &Value<'t>) -> Option<OtherSize> {
    let mut table = text.table(value, "a size")?;
    let suffix = table.read("suffix", |v| text.string(v));
    let factor = table.read("factor", |v| text.number_text(v).map(str::to_owned));
    let resample = table.read("resample", |v| text.word(v)).unwrap_or(Resample::Smooth);
    if !table.has("suffix") || !table.has("factor") {
        text.wrong(ProblemKind::InvalidValue, value.span(), "a size has a suffix and a factor");
    }
    table.end();
    let made = OtherSize::new(&suffix?, &factor?, resample);
    made.map_err(|why| text.wrong(ProblemKind::InvalidValue, value.span(), &why)).ok()
}

fn rule<'t>(text: &Text<'t>, value: &Value<'t>) -> Option<Rule> {
    let mut table = text.table(value, "a rule")?;
    let pattern = table.read("match", |v| text.parsed(v, "a glob"));
    if !table.has("match") {
        text.wrong(ProblemKind::InvalidValue, value.span(), "a rule has a glob 'match' that says for which sprites");
    }
    let mut overrides = Overrides {
        pivot: table.read("pivot", |v| pivot(text, v)),
        points: table.read("points", |v| points(text, v)),
        stretch: table.read("stretch", |v| text.exactly(v, |v| text.whole(v, 0..u32::from(u16::MAX)))),
        tags: table.read("tags", |v| text.list(v, |v| text.string(v))),
        ident: table.read("ident", |v| ident(text, v)),
        user: table.read("user", |v| Some(plain(v.get_ref()))),
        playing: clips::playing(text, value, &mut table),
        turn: table.read("turn", |v| text.truth(v)),
        wrap: table.read("wrap", |v| text.word(v)),
        layers: table.read("layers", |v| layers(text, v)),
        ..Overrides::default()
    };
    let named = table.read("clip", |v| text.string(v)).map(Membership::Named);
    let read = table.read("frame", |v| text.parsed(v, "a regular expression")).map(Membership::Read);
    if table.has("clip") && table.has("frame") {
        text.wrong(ProblemKind::InvalidValue, value.span(), "a rule has 'clip' or 'frame', not both");
    }
    overrides.clip = named.or(read);
    table.end();
    Some(Rule { pattern: pattern?, place: text.place(value.span().start), overrides })
}

fn pivot<'t>(text: &Text<'t>, value: &Value<'t>) -> Option<Pivot> {
    match value.get_ref() {
        DeValue::Table(_) => {
            let mut table = text.table(value, "a pivot")?;
            let point = table.read("px", |v| point(text, v));
            table.end();
            point.map(Pivot::Pixels)
        }
        DeValue::Array(_) => point(text, value).map(Pivot::Part),
        _ => text.word::<NamedPivot>(value).map(|NamedPivot(part)| Pivot::Part(part)),
    }
}

#[derive(Debug, Clone, Copy, PartialEq)]
struct NamedPivot([f64; 2]);

impl Keyword for NamedPivot {
    const ALL: &'static [(&'static str, &'static str, Self)] = &{
        let mut all = [("", "", NamedPivot([0.0; 2])); Pivot::NAMED.len()];
        let mut i = 0;
        while i < all.len() {
            all[i] = (Pivot::NAMED[i].0, "", NamedPivot(Pivot::NAMED[i].1));
            i += 1;
        }
        all
    };
}

fn point(text: &Text<'_>, value: &Value<'_>) -> Option<[f64; 2]> {
    text.exactly(value, |v| text.number(v, "a number up to a million", |n| n.abs() <= 1e6))
}

fn layers<'t>(text: &Text<'t>, value: &Value<'t>) -> Option<LayerRules> {
    let table = text.table(value, "layers")?;
    Some(table.all().filter_map(|(name, _, v)| Some((name.to_owned(), layer(text, name, v)?))).collect())
}

/// A layer by the name of its images, or with the kind of its values.
fn layer<'t>(text: &Text<'t>, name: &str, value: &Value<'t>) -> Option<LayerRule> {
    let (image, kind) = match value.get_ref() {
        DeValue::Table(_) => {
            let mut table = text.table(value, "a layer")?;
            let image = table.read("image", |v| text.string(v));
            let kind = table.read("kind", |v| text.word(v));
            if !table.has("image") {
                text.wrong(ProblemKind::InvalidValue, value.span(), "a layer has an image, as \"{name}_n\"");
            }
            table.end();
            (image?, kind)
        }
        _ => (text.string(value)?, None),
    };
    let made = LayerRule::new(name, &image, kind);
    made.map_err(|why| text.wrong(ProblemKind::InvalidValue, value.span(), &why)).ok()
}

fn points<'t>(text: &Text<'t>, value: &Value<'t>) -> Option<BTreeMap<String, [f64; 2]>> {
    let table = text.table(value, "points")?;
    Some(table.all().filter_map(|(name, _, v)| Some((name.to_owned(), point(text, v)?))).collect())
}

/// A value as JSON, passed through unread.
fn plain(value: &DeValue<'_>) -> serde_json::Value {
    match value {
        DeValue::String(text) => text.as_ref().into(),
        DeValue::Boolean(truth) => (*truth).into(),
        DeValue::Integer(n) => {
            i64::from_str_radix(n.as_str(), n.radix()).map_or_else(|_| n.as_str().into(), Into::into)
        }
        DeValue::Float(n) => n.as_str().parse::<f64>().map_or_else(|_| n.as_str().into(), Into::into),
        DeValue::Datetime(date) => date.to_string().into(),
        DeValue::Array(list) => list.iter().map(|v| plain(v.get_ref())).collect(),
        DeValue::Table(table) => table.iter().map(|(key, v)| (key.get_ref().to_string(), plain(v.get_ref()))).collect(),
    }
}

/// The limits of a project.
pub(super) fn limits(text: &Text<'_>, value: &Value<'_>) -> Limits {
    let mut limits = Limits::default();
    let Some(mut table) = text.table(value, "the limits") else { return limits };
    limits.memory = table.read("memory", |v| text.bytes(v));
    limits.follow_links = table.read("follow_links", |v| text.truth(v));
    for (name, ..) in LIMITS {
        if let Some(most) = table.read(name, |v| text.whole(v, 1..u32::MAX)) {
            limits.set(name, most.into());
        }
    }
    table.end();
    limits
}

/// Where builds share what they learn.
pub(super) fn store(text: &Text<'_>, value: &Value<'_>) -> Option<SharedSettings> {
    let mut table = text.table(value, "the shared store")?;
    let url = table.read("url", |v| Some((v.span(), text.string(v)?)));
    let access = table.read("access", |v| text.parsed::<Access>(v, "a text"));
    if !table.has("url") {
        text.wrong(ProblemKind::MissingKey, value.span(), "the shared store has no url");
    }
    table.end();
    let (span, url) = url?;
    let settings = SharedSettings { access: access.unwrap_or_default(), ..SharedSettings::new(url) };
    if settings.has_password() {
        let why = "a password does not belong in a project file: set ZEMTAK_STORE to the whole address instead";
        text.wrong(ProblemKind::InvalidValue, span, why);
    }
    Some(settings)
}
