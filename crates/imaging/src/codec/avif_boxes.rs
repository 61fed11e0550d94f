//! The boxes of an AVIF (ISO/IEC 14496-12 and 23008-12): whether it holds anything but its picture.

/// Boxes that a still picture is made of.
const TOP: [&[u8; 4]; 3] = [b"ftyp", b"meta", b"mdat"];
/// Boxes that tell where its parts are, and how they are shown.
const META: [&[u8; 4]; 7] = [b"hdlr", b"pitm", b"iloc", b"iinf", b"iprp", b"iref", b"idat"];
/// Parts that are shown: pictures of one piece, and of several.
const ITEMS: [&[u8; 4]; 3] = [b"av01", b"grid", b"iovl"];

/// Whether `file` holds its picture and what says how it is shown, and nothing else: no other boxes, and
/// no parts of other kinds.
pub fn is_bare(file: &[u8]) -> bool {
    bare(file).unwrap_or(false)
}

fn bare(file: &[u8]) -> Option<bool> {
    let top = boxes(file)?;
    // One that breaks off between its boxes is not whole.
    let mut is_bare = TOP.iter().all(|kind| top.iter().any(|(found, _)| found == *kind));
    for (kind, content) in top {
        is_bare &= TOP.contains(&&kind);
        if &kind == b"meta" {
            // Version and flags come first.
            for (kind, content) in boxes(content.get(4..)?)? {
                is_bare &= META.contains(&&kind);
                if &kind == b"iinf" {
                    is_bare &= items(content)?.iter().all(|item| ITEMS.contains(&item));
                }
            }
        }
    }
    Some(is_bare)
}

/// The kinds of the parts in a list of them (14496-12, 8.11.6); nothing where it is of an old version.
fn items(list: &[u8]) -> Option<Vec<[u8; 4]>> {
    // Version and flags, and a count of two bytes, or four in later versions.
    let count = if list.first()? == &0 { 2 } else { 4 };
    let entries = boxes(list.get(4 + count..)?)?;
    let kind = |(_, entry): &([u8; 4], &[u8])| {
        let number = match entry.first()? {
            2 => 2,
            3 => 4,
            _ => return None,
        };
        // Version and flags, number, protection index, kind.
        entry.get(4 + number + 2..)?.first_chunk::<4>().copied()
    };
    entries.iter().map(kind).collect()
}

/// The boxes in `content`, each with its kind; nothing where they do not fill it exactly.
fn boxes(mut content: &[u8]) -> Option<Vec<([u8; 4], &[u8])>> {
    let mut found = Vec::new();
    while !content.is_empty() {
        let (length, rest) = content.split_first_chunk::<4>()?;
        let (kind, _) = rest.split_first_chunk::<4>()?;
        let (head, length) = match u32::from_be_bytes(*length) {
            // To the end of the file.
            0 => (8, content.len()),
            1 => {
                let long = content.get(8..16)?.first_chunk::<8>()?;
                (16, usize::try_from(u64::from_be_bytes(*long)).ok()?)
            }
            length => (8, length as usize),
        };
        found.push((*kind, content.get(head..length)?));
        content = &content[length..];
    }
    Some(found)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chroma::Chroma;
    use crate::codec::{avif, extras::Extras};
    use crate::effort::Effort;
    use crate::raster::{Channels, Raster};
    use brisk_margin_core::geometry::Size;

    fn encoded(extras: &Extras) -> Vec<u8> {
        let grey = Raster::new(Size::new(16, 16), Channels::Rgba, vec![90; 16 * 16 * 4]);
        avif::encode(&grey, 60, Chroma::Full, Effort::Full, extras).unwrap()
    }

    #[test]
    fn a_picture_alone_is_bare_and_what_stands_beside_it_is_found() {
        let bare = encoded(&Extras::default());
        assert!(is_bare(&bare));
        let told = Extras { icc: None, xmp: Some(b"<x:xmpmeta/>".to_vec()) };
        assert!(!is_bare(&encoded(&told)), "a packet is a part of another kind");
        for kind in [b"uuid", b"free", b"udta", b"moov"] {
            let mut more = bare.clone();
            more.extend(20_u32.to_be_bytes());
            more.extend(kind);
            more.extend(b"Ada Fenn was");
            assert!(!is_bare(&more));
        }
        for end in 1..bare.len() {
            assert!(!is_bare(&bare[..end]), "{end}");
        }
    }
}
