//! Words that others in this trade use for things that have another name here.

/// A word, without `-` and `_`, and its name here.
const WORDS: [(&[&str], &str); 15] = [
    (&["padding"], "'gutter' (empty pixels between cells) or 'extrude' (repeated edge pixels)"),
    (&["spacing", "gap", "distance"], "'gutter' (empty pixels between cells)"),
    (&["border", "edge"], "'margin' (empty pixels along a page's edge)"),
    (&["bleed", "bleeding"], "'extrude' (repeated edge pixels)"),
    (&["rotate", "rotation"], "'turn' (sprites may be stored turned by 90 degrees)"),
    (&["origin", "anchor", "hotspot"], "'pivot', a key of a rule"),
    (&["scale", "scales", "resize"], "'sizes' (the atlas again at another size)"),
    (&["crop"], "'trim' (only the visible box is stored)"),
    (&["alias", "duplicates"], "'share_twins' (equal sprites share one box)"),
    (&["width", "height"], "'page.max' (the largest page) or 'page.size' (exactly this size)"),
    (&["poweroftwo"], "'page.shape' (free, pow2, square or pow2-square)"),
    (&["premultiply", "premultiplied"], "'alpha' (straight or premultiplied)"),
    (&["quality", "compression"], "'png' (fast, balanced or small)"),
    (&["template"], "'also' (csv, rust, c or template:FILE)"),
    (&["animation", "animations"], "a clip, which numbered names make; 'fps' and 'mode' are keys of a rule"),
];

/// Our name for a word of the trade.
#[must_use]
pub fn our_word_for(word: &str) -> Option<&'static str> {
    let plain: String = word.chars().filter(|c| !matches!(c, '-' | '_')).flat_map(char::to_lowercase).collect();
    WORDS.iter().find(|(theirs, _)| theirs.contains(&plain.as_str())).map(|(_, ours)| *ours)
}
