//! What is wrong with a file, in words for people: the messages of libraries are written for their authors.

/// The meaning of libraries' messages, and fragments by which to recognise them, in lower case. The first match counts.
const MEANINGS: [(&str, &[&str]); 9] = [
    (
        "it ends too early",
        &[
            "unexpected end",
            "unexpectedeof",
            "not enough bytes",
            "no more bytes",
            "buffer end",
            "whole buffer",
            "insufficientinput",
            "exhausted",
            "truncated",
            "missing iend",
        ],
    ),
    ("a checksum does not match its data: the file is damaged", &["crc", "checksum", "adler"]),
    ("its compressed data is damaged", &["deflate", "zlib", "lzw", "bitstream", "huffman"]),
    ("its frames are not in order", &["sequence is not in order"]),
    ("it lacks pixels that it speaks of", &["chunk is missing"]),
    ("a frame has no palette", &["no color table"]),
    ("pixels lie outside of it", &["position overrun", "out of bounds", "less than 0"]),
    ("it does not begin like such a file", &["signature"]),
    ("it asks for more memory than is allowed", &["limits"]),
];

/// The reason for people.
pub(crate) fn plain(library: &str) -> String {
    // In the form in which `Debug` prints a text.
    let library = library.trim().trim_matches('"');
    let small = library.to_lowercase();
    let known = MEANINGS.iter().find(|(_, pieces)| pieces.iter().any(|piece| small.contains(piece)));
    // Braces and underscores come from `Debug`, colons from paths of types.
    let inner = library.contains(['{', '}', '_', '[', '(']) || library.contains("::");
    match known {
        Some((meaning, _)) => (*meaning).to_owned(),
        None if inner => "its data is damaged".to_owned(),
        None => library.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::plain;

    /// "CRC error: expected 0x8cfeb86d have 0x4c717ae5 while decoding ChunkType { … }" was shown to a user.
    #[test]
    fn what_libraries_say_is_put_into_words() {
        for (library, meaning) in [
            (
                "CRC error: expected 0x8cfeb86d have 0x4c717ae5 while decoding ChunkType { type: IHDR } chunk.",
                "a checksum",
            ),
            ("Corrupt deflate stream. InsufficientInput", "it ends too early"),
            ("Corrupt bitstream", "its compressed data"),
            ("I/O errors Not enough bytes, expected 162 but found 69", "it ends too early"),
            ("Format error decoding Gif: Unexpected End of File", "it ends too early"),
            ("SomethingOdd { of: 3 }", "its data is damaged"),
            ("it is too large for memory", "it is too large for memory"),
        ] {
            assert!(plain(library).starts_with(meaning), "{library}: {}", plain(library));
        }
    }
}
