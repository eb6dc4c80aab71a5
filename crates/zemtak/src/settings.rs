//! How an atlas is built: the atlas keys of this version with their defaults.

use zemtak_core::codec::PngEffort;
use zemtak_core::layout::{Arrangement, Effort, PagePolicy, Spacing};
use zemtak_core::pixels::Treatment;

/// The atlas keys.
#[derive(Debug, Clone, PartialEq)]
pub struct AtlasSettings {
    /// How boxes are arranged. Densely by default.
    pub layout: Arrangement,
    /// How much work the search for a denser layout may do. Quick by default.
    pub effort: Effort,
    /// Whether all steps of a clip go on one page. They need not by default.
    pub together: bool,
    /// Which pages are allowed.
    pub page: PagePolicy,
    /// Gutter 2, margin 0, extrude 1 by default.
    pub spacing: Spacing,
    /// Trimmed, visible from alpha 1 by default.
    pub treatment: Treatment,
    /// Whether sprites may be stored turned. They may not by default.
    pub turn: bool,
    /// Whether sprites with equal pixels share a box. They do by default.
    pub share_twins: bool,
    /// How much work goes into small page files. Balanced by default.
    pub png: PngEffort,
}

impl Default for AtlasSettings {
    fn default() -> Self {
        Self {
            layout: Arrangement::default(),
            effort: Effort::default(),
            together: false,
            page: PagePolicy::default(),
            spacing: Spacing { gutter: 2, margin: 0, extrude: 1, align: 1 },
            treatment: Treatment { trim: true, visible_alpha: 1 },
            turn: false,
            share_twins: true,
            png: PngEffort::default(),
        }
    }
}
