//! What is wrong with a file, in words for a person: what libraries say is for those who wrote them.

/// Pieces of libraries' texts, in small letters, and what they mean. The first that is found counts.
const MEANINGS: [(&str, &str); 22] = [
    ("unexpected end", "it ends too early"),
    ("unexpectedeof", "it ends too early"),
    ("not enough bytes", "it ends too early"),
    ("buffer end", "it ends too early"),
    ("insufficientinput", "it ends too early"),
    ("insufficient input", "it ends too early"),
    ("failed to fill whole buffer", "it ends too early"),
    ("exhausted", "it ends too early"),
    ("truncated", "it ends too early"),
    ("missing iend", "it ends too early"),
    ("no more bytes", "it ends too early"),
    ("crc", "a checksum does not fit its data, so it was damaged"),
    ("checksum", "a checksum does not fit its data, so it was damaged"),
    ("adler", "a checksum does not fit its data, so it was damaged"),
    ("deflate", "its compressed data is damaged"),
    ("zlib", "its compressed data is damaged"),
    ("lzw", "its compressed data is damaged"),
    ("bitstream", "its compressed data is damaged"),
    ("huffman", "its compressed data is damaged"),
    ("invalid signature", "it does not begin as such a file does"),
    ("signature", "it does not begin as such a file does"),
    ("limits", "it asks for more memory than is allowed"),
];

/// The reason for a person.
pub(crate) fn plain(library: &str) -> String {
    let small = library.to_lowercase();
    let known = MEANINGS.iter().find(|(piece, _)| small.contains(piece)).map(|(_, meaning)| *meaning);
    // Braces and underscores are what `Debug` prints, colons what paths of types have.
    let inner = library.contains(['{', '}', '_', '[', '(']) || library.contains("::");
    match known {
        Some(meaning) => meaning.to_owned(),
        None if inner => "its data is damaged".to_owned(),
        None => library.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::plain;

    /// "CRC error: expected 0x8cfeb86d have 0x4c717ae5 while decoding ChunkType { … }" reached a person.
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
