//! The limits of a run.

use clap::Args;
use zemtak_build::limits::LIMITS;
use zemtak_build::{Limits, format};

#[derive(Debug, Args)]
pub struct LimitArgs {
    /// Memory for decoded pixels; large images wait for one another [default: half of the machine's, at most 4 GiB]
    #[arg(long, global = true, value_name = "SIZE", value_parser = memory)]
    memory: Option<u64>,
    /// Follow symbolic links that lead out of the given folders
    #[arg(long, global = true)]
    follow_links: bool,
    /// Change a limit, as in --limit image_pixels=200000000; docs/project.md lists them
    #[arg(long = "limit", global = true, value_name = "NAME=NUMBER", value_parser = limit)]
    limits: Vec<(&'static str, u64)>,
}

impl LimitArgs {
    /// The requested limits.
    pub fn limits(&self) -> Limits {
        let mut limits = Limits::default();
        limits.memory = self.memory;
        limits.follow_links = self.follow_links.then_some(true);
        for (name, most) in &self.limits {
            limits.set(name, *most);
        }
        limits
    }
}

fn memory(text: &str) -> Result<u64, String> {
    format::parse_bytes(text).ok_or_else(|| "a size is such as '512 MiB', '2 GiB' or a number of bytes".into())
}

fn limit(text: &str) -> Result<(&'static str, u64), String> {
    let wrong = || format!("a limit is NAME=NUMBER, and a name one of {}", names().collect::<Vec<_>>().join(", "));
    let (name, most) = text.split_once('=').ok_or_else(wrong)?;
    let known = names().find(|known| *known == name).ok_or_else(|| {
        let near = format::nearest(name, names()).map(|near| format!("did you mean {near}? "));
        format!("{}{}", near.unwrap_or_default(), wrong())
    })?;
    let most = most.parse().map_err(|_| format!("'{most}' is not a whole number"))?;
    Ok((known, most))
}

fn names() -> impl Iterator<Item = &'static str> {
    LIMITS.iter().map(|(name, ..)| *name)
}
