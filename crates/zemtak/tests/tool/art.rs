//! Art like that of real games, packed in every format and read back by decoders that no line of the tool has a part in.
//!
//! One page in fifteen of real art was once no valid PNG, while `pack` said all was well, and no test had seen it: made-up
//! sprites without noise deflate too well.

use crate::fixtures::Folder;
use crate::fixtures::art::real_art;
use crate::rebuild::rebuild;

#[test]
fn thousands_of_sprites_like_those_of_real_games_come_back() {
    let folder = Folder::new();
    real_art(2500, 7).iter().for_each(|(name, bytes)| folder.write(&format!("art/{name}"), bytes));
    folder.zemtak("pack art --name art --page-max 1024x1024").exits(0);
    rebuild(&folder, "art", &folder.path("art"));
    folder.zemtak("verify build/art.zemtak.json --against art").exits(0);
    folder.zemtak("pack art --name art --png fast").exits(0);
    rebuild(&folder, "art", &folder.path("art"));
}

#[test]
fn every_format_of_pages_comes_back() {
    let small = |(_, bytes): &(String, Vec<u8>)| bytes.len() < 4000;
    let files: Vec<_> = real_art(150, 11).into_iter().filter(small).collect();
    for options in ["--png small --page-max 512x512", "--pages-as qoi", "--pages-as webp"] {
        let folder = Folder::new();
        files.iter().for_each(|(name, bytes)| folder.write(&format!("art/{name}"), bytes));
        folder.zemtak(&format!("pack art --name art {options}")).exits(0);
        rebuild(&folder, "art", &folder.path("art"));
    }
}
