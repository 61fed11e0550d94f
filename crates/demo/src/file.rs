//! Files as a camera or a drawing program writes them.

use std::io::Cursor;

use exif::experimental::Writer;
use exif::{Field, In, Rational, Tag, Value};
use mozjpeg::{ColorSpace, Compress, Marker};

use crate::paint::Painting;

/// What a camera adds to its pixels.
#[derive(Clone, Copy, Default)]
pub struct Camera {
    /// The EXIF orientation, 1 to 8; the pixels are stored as they are given.
    pub orientation: Option<u16>,
    /// Whether the place is told.
    pub located: bool,
    /// Whether the pixels are meant in Display P3.
    pub wide_gamut: bool,
}

/// A JPEG at `quality` (1 to 100).
pub fn jpeg(painting: &Painting, quality: f32, camera: Camera) -> Vec<u8> {
    let mut jpeg = Compress::new(ColorSpace::JCS_RGB);
    jpeg.set_fastest_defaults();
    jpeg.set_size(painting.width as usize, painting.height as usize);
    jpeg.set_quality(quality);
    let mut jpeg = jpeg.start_compress(Vec::new()).expect("memory is enough");
    if camera.orientation.is_some() || camera.located {
        jpeg.write_marker(Marker::APP(1), &exif(camera));
    }
    if camera.wide_gamut {
        let profile = moxcms::ColorProfile::new_display_p3().encode().expect("a built-in profile");
        // One part of one; the profile is far below the 64 KB a marker holds.
        let mut block = b"ICC_PROFILE\0\x01\x01".to_vec();
        block.extend(profile);
        jpeg.write_marker(Marker::APP(2), &block);
    }
    jpeg.write_scanlines(&painting.data).expect("rows of the stated width");
    jpeg.finish().expect("a whole picture")
}

/// A PNG as a drawing program saves it, packed without much effort.
pub fn png(painting: &Painting) -> Vec<u8> {
    let mut file = Vec::new();
    let mut encoder = png::Encoder::new(&mut file, painting.width, painting.height);
    encoder.set_color(match painting.channels {
        4 => png::ColorType::Rgba,
        _ => png::ColorType::Rgb,
    });
    encoder.set_compression(png::Compression::Fast);
    let mut writer = encoder.write_header().expect("memory is enough");
    writer.write_image_data(&painting.data).expect("rows of the stated width");
    writer.finish().expect("a whole picture");
    file
}

fn exif(camera: Camera) -> Vec<u8> {
    let field = |tag, value| Field { tag, ifd_num: In::PRIMARY, value };
    let text = |text: &str| Value::Ascii(vec![text.as_bytes().to_vec()]);
    let angle = |d: u32, m: u32, s: u32| {
        Value::Rational([d, m, s].map(|num| Rational { num, denom: 1 }).to_vec())
    };
    let mut fields = vec![
        field(Tag::Make, text("Fellwright")),
        field(Tag::Model, text("FW-24")),
        field(Tag::DateTime, text("2026:09:12 20:41:07")),
    ];
    if let Some(orientation) = camera.orientation {
        fields.push(field(Tag::Orientation, Value::Short(vec![orientation])));
    }
    if camera.located {
        fields.push(field(Tag::GPSLatitudeRef, text("N")));
        fields.push(field(Tag::GPSLatitude, angle(54, 31, 12)));
        fields.push(field(Tag::GPSLongitudeRef, text("W")));
        fields.push(field(Tag::GPSLongitude, angle(2, 47, 5)));
    }
    let mut writer = Writer::new();
    for field in &fields {
        writer.push_field(field);
    }
    let mut block = Cursor::new(Vec::new());
    writer.write(&mut block, false).expect("a handful of fields");
    let mut marker = b"Exif\0\0".to_vec();
    marker.extend(block.into_inner());
    marker
}
