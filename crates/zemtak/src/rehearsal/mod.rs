//! A rehearsal: plays a written scenario of scenes against the real cache and a simulated device.

mod catalog;
mod faulty_files;
mod load_plan;
pub mod picture;
pub mod scenario;
pub mod stage;
mod warnings;

use load_plan::LoadPlan;
use scenario::Scenario;
use stage::Run;
pub use warnings::seconds;

use crate::notice::Notice;
use zemtak_build::format;

/// The results of a rehearsal.
pub struct Rehearsal {
    /// The scenes from packed atlases, as the game will play them.
    pub packed: Run,
    /// The same from loose images, shared; and with one load for each thing.
    pub compared: Option<[Run; 2]>,
    /// Warnings, with names.
    pub warnings: Vec<Notice>,
}

/// Plays a scenario, and the same scenes without atlases if the images for it exist.
#[must_use]
pub fn rehearse(scenario: &Scenario) -> Rehearsal {
    let packed = stage::play(scenario, &LoadPlan::packed(scenario));
    let mut warnings = warnings::all(scenario, &packed);
    let compared = scenario.loose.as_ref().and_then(|folder| match LoadPlan::loose(scenario, folder) {
        Ok(casts) => Some(casts.map(|load_plan| stage::play(scenario, &load_plan))),
        Err(missing) => {
            let (folder, missing) = (format::path(folder), format::first_of(&missing));
            let text = format!("nothing to compare with: {folder} has no image of {missing}");
            warnings.push(Notice::of_all("nothing_to_compare", text));
            None
        }
    });
    warnings.extend(compared.iter().filter_map(|[loose, _]| warnings::undecodable(loose)));
    Rehearsal { packed, compared, warnings }
}
