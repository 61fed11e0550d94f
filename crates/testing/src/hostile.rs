//! Files that mean harm, or came to it: each with what becomes of it.

use std::fmt::Write as _;
use std::io::Write as _;

use brisk_margin_core::format::Format;
use brisk_margin_imaging::codec::png::encode_fast;
use flate2::Compression;
use flate2::write::ZlibEncoder;

use crate::pictures::{encoded, gradient, gradient_jpeg, oriented};

/// What becomes of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fate {
    /// It is a picture all the same.
    Taken,
    /// It is not taken, in words that hold these.
    Refused(&'static str),
}

/// A file, and what becomes of it.
#[derive(Debug, Clone)]
pub struct HostileFile {
    /// What is wrong with it.
    pub name: String,
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// What becomes of it.
    pub fate: Fate,
}

/// All of them.
pub fn files() -> Vec<HostileFile> {
    let mut files = Files(Vec::new());
    files.cut_off();
    files.something_else();
    files.larger_than_they_are();
    files.packed();
    files.drawings();
    files.odd_insides();
    files.0
}

struct Files(Vec<HostileFile>);

const DAMAGED: Fate = Fate::Refused("export it again");
const NO_PICTURE: Fate = Fate::Refused("not a picture");
const TOO_LARGE: Fate = Fate::Refused("megapixels");

impl Files {
    fn add(&mut self, name: impl Into<String>, bytes: impl Into<Vec<u8>>, fate: Fate) {
        self.0.push(HostileFile { name: name.into(), bytes: bytes.into(), fate });
    }

    fn cut_off(&mut self) {
        let picture = gradient(160, 120);
        for format in Format::OWN {
            let file = encoded(&picture, format, 80);
            let name = format.name();
            self.add(format!("half.{name}"), &file[..file.len() / 2], DAMAGED);
            self.add(format!("head.{name}"), &file[..24.min(file.len())], Fate::Refused(""));
        }
        let svg = br#"<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><rect"#;
        self.add("half.svg", svg.as_slice(), DAMAGED);
        self.add("head.tiff", b"II*\0\x08\0\0\0".as_slice(), Fate::Refused(""));
        self.add("head.bmp", b"BM\0\0\0\0\0\0\0\0\x36\0\0\0".as_slice(), Fate::Refused(""));
        self.add("head.ico", b"\0\0\x01\0\x01\0".as_slice(), Fate::Refused(""));
    }

    fn something_else(&mut self) {
        self.add("empty.jpg", [], Fate::Refused("empty"));
        self.add("page.jpg", b"<!doctype html><p>no picture".as_slice(), NO_PICTURE);
        self.add("words.png", b"a dome at dusk".as_slice(), NO_PICTURE);
        self.add("zeros.webp", vec![0; 1 << 20], NO_PICTURE);
        self.add("program.gif", b"\x7fELF\x02\x01\x01\0\0\0\0\0".as_slice(), NO_PICTURE);
        self.add("print.png", b"%PDF-1.7\n%".as_slice(), Fate::Refused("print document"));
        let heic = b"\0\0\0\x18ftypheic\0\0\0\0heicmif1";
        self.add("telephone.jpg", heic.as_slice(), Fate::Refused("HEIC"));
        self.add("layers.png", b"8BPS\0\x01\0\0\0\0\0\0".as_slice(), Fate::Refused("layered"));
    }

    fn larger_than_they_are(&mut self) {
        self.add("claims.png", png(65_535, 65_535, &[]), Fate::Refused(""));
        self.add("claims-all.png", png(0x7FFF_FFFF, 0x7FFF_FFFF, &[]), Fate::Refused(""));
        self.add("nothing.png", png(0, 0, &[]), Fate::Refused(""));
        let mut jpeg = gradient_jpeg(64, 48);
        set_jpeg_size(&mut jpeg, 65_500, 65_500);
        self.add("claims.jpg", jpeg, TOO_LARGE);
        // It ends where the picture has only begun: the rest is grey, as browsers show it.
        let mut tall = gradient_jpeg(64, 48);
        set_jpeg_size(&mut tall, 8_000, 12_000);
        self.add("claims-100-megapixels.jpg", tall, Fate::Taken);
        self.add("claims.gif", b"GIF89a\xFF\xFF\xFF\xFF\0\0\0;".as_slice(), Fate::Refused(""));
        let mut bmp = b"BM\x46\0\0\0\0\0\0\0\x36\0\0\0\x28\0\0\0".to_vec();
        bmp.extend(60_000_u32.to_le_bytes());
        bmp.extend(60_000_u32.to_le_bytes());
        bmp.extend([1, 0, 24, 0]);
        bmp.extend([0; 40]);
        self.add("claims.bmp", bmp, TOO_LARGE);
        let svg = drawing("width=\"1000000000\" height=\"1000000000\"", "<rect/>");
        self.add("claims.svg", svg, Fate::Refused(""));
    }

    fn packed(&mut self) {
        let zeros = |length: usize| {
            let mut packed = ZlibEncoder::new(Vec::new(), Compression::best());
            let block = vec![0_u8; 1 << 20];
            (0..length >> 20).for_each(|_| packed.write_all(&block).expect("memory"));
            packed.finish().expect("memory")
        };
        let rows = packed(&[0; 5 * (1 + 5 * 3)]);
        let mut text = b"XML:com.adobe.xmp\0\x01\0\0\0".to_vec();
        text.extend(zeros(512 << 20));
        let end = [(*b"IDAT", rows.clone())];
        let with = |chunk: ([u8; 4], Vec<u8>)| png(5, 5, &[&[chunk], end.as_slice()].concat());
        self.add("half a gigabyte of text.png", with((*b"iTXt", text)), Fate::Taken);
        let mut words = b"Comment\0\0".to_vec();
        words.extend(zeros(256 << 20));
        self.add("a packed comment.png", with((*b"zTXt", words)), Fate::Taken);
        let mut profile = b"wide\0\0".to_vec();
        profile.extend(zeros(256 << 20));
        self.add("a packed profile.png", with((*b"iCCP", profile)), Fate::Taken);
        let pixels = png(5, 5, &[(*b"IDAT", zeros(256 << 20))]);
        self.add("more pixels than it has.png", pixels, Fate::Taken);
        let mut sum = with((*b"tEXt", b"a\0b".to_vec()));
        let at = sum.len() - 20;
        sum[at] ^= 0xFF;
        self.add("a wrong sum.png", sum, Fate::Refused(""));
    }

    fn drawings(&mut self) {
        let size = "width=\"4000\" height=\"4000\"";
        let mut add = |name: &str, inside: String, fate: Fate| {
            self.add(format!("{name}.svg"), drawing(size, &inside), fate);
        };
        let filtered = |primitive: &str| {
            format!(
                "<filter id='f'>{primitive}</filter><rect width='4000' height='4000' filter='url(#f)'/>"
            )
        };
        let octaves = "<feTurbulence baseFrequency='0.01' numOctaves='2000000000'/>";
        add("noise without end", filtered(octaves), Fate::Taken);
        add("a wide blur", filtered("<feGaussianBlur stdDeviation='1e9'/>"), Fate::Taken);
        add("a wide brush", filtered("<feMorphology radius='90000'/>"), Fate::Taken);
        add("blurs", filtered(&"<feGaussianBlur stdDeviation='400'/>".repeat(900)), Fate::Taken);
        let layers = |count: usize| {
            let open = "<g opacity='0.99'><rect width='4000' height='4000'/>".repeat(count);
            format!("{open}{}", "</g>".repeat(count))
        };
        add("layers within layers", layers(300), Fate::Taken);
        add("nested without end", layers(50_000), Fate::Refused(""));
        let mut shown = String::from("<g id='n0'><rect width='4000' height='4000'/></g>");
        for n in 1..12 {
            let inner = format!("<use href='#n{}'/>", n - 1).repeat(10);
            let _ = write!(shown, "<g id='n{n}'>{inner}</g>");
        }
        add("shown again and again", shown, Fate::Refused("again and again"));
        add("shows itself", "<g id='a'><use href='#a'/></g>".into(), Fate::Taken);
        let loops = "<linearGradient id='a' href='#b'/><linearGradient id='b' href='#a'/>\
                     <rect width='9' height='9' fill='url(#a)'/>";
        add("a gradient of itself", loops.into(), Fate::Taken);
        let mask = "<mask id='m' mask='url(#m)'><rect mask='url(#m)' width='9' height='9'/></mask>\
                    <rect mask='url(#m)' width='9' height='9'/>";
        add("a mask of itself", mask.into(), Fate::Taken);
        let pattern = "<pattern id='p' width='0.0001' height='0.0001'><rect width='1' height='1'/></pattern>\
                       <rect fill='url(#p)' width='4000' height='4000'/>";
        add("a tiny pattern", pattern.into(), Fate::Taken);
        let dashes = "<path d='M0 0H4000V4000H0Z' stroke='#000' stroke-width='9' \
                      stroke-dasharray='0.00001 0.00001'/>";
        add("tiny dashes", dashes.into(), Fate::Taken);
        let path = format!("<path d='M0 0{}'/>", "L4000 4000L0 9".repeat(200_000));
        add("a long path", path, Fate::Taken);
        add("many elements", "<rect/>".repeat(400_000), Fate::Refused(""));
        add(
            "long words",
            format!("<text y='90'>{}</text>", "dome ".repeat(60_000)),
            Fate::Refused("wanted more"),
        );
        add("steps outside", "<image href='file:///etc/passwd'/>".into(), Fate::Taken);
        add("scripts", "<script>for(;;);</script>".into(), Fate::Taken);
        let mut entities = String::from("<!DOCTYPE svg [<!ENTITY a0 \"stars\">");
        for n in 1..12 {
            let inner = format!("&a{};", n - 1).repeat(10);
            let _ = write!(entities, "<!ENTITY a{n} \"{inner}\">");
        }
        let _ = write!(entities, "]><svg xmlns='http://www.w3.org/2000/svg'>&a11;</svg>");
        self.add("entities.svg", entities, DAMAGED);
        let outside = "<!DOCTYPE svg [<!ENTITY x SYSTEM 'file:///etc/passwd'>]>\
                       <svg xmlns='http://www.w3.org/2000/svg'>&x;</svg>";
        self.add("an outside entity.svg", outside, DAMAGED);
        let odd = "<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 NaN -1' width='-9'/>";
        self.add("no numbers.svg", odd, DAMAGED);
    }

    fn odd_insides(&mut self) {
        // A block of metadata whose list of fields is its own next one.
        let jpeg = oriented(&gradient_jpeg(64, 48), 6);
        let mut looped = jpeg.clone();
        if let Some(at) = looped.windows(6).position(|part| part == b"Exif\0\0") {
            let next = at + 6 + 8 + 2 + 12;
            looped[next..next + 4].copy_from_slice(&[0, 0, 0, 8]);
        }
        self.add("metadata in a circle.jpg", looped, Fate::Taken);
        let mut tables = gradient_jpeg(64, 48);
        if let Some(at) = tables.windows(2).position(|part| part == [0xFF, 0xC4]) {
            tables[at + 5..at + 20].fill(0xFF);
        }
        self.add("tables of nonsense.jpg", tables, DAMAGED);
        let mut noise = gradient_jpeg(600, 400);
        let length = noise.len();
        (length / 3..length - 2).step_by(7).for_each(|at| noise[at] = noise[at].wrapping_mul(31));
        self.add("noise for pixels.jpg", noise, Fate::Refused(""));
        let mut behind = gradient_jpeg(64, 48);
        behind.extend(b"PK\x03\x04<script>elsewhere()</script>");
        self.add("something behind it.jpg", behind, Fate::Taken);
        // A directory of a TIFF that is its own next one.
        let mut tiff = b"II*\0\x08\0\0\0\x01\0\0\x01\x03\0\x01\0\0\0\x05\0\0\0".to_vec();
        tiff.extend(8_u32.to_le_bytes());
        self.add("directories in a circle.tiff", tiff, Fate::Refused(""));
        let mut gif = b"GIF89a\x01\0\x01\0\x80\0\0\0\0\0\xFF\xFF\xFF".to_vec();
        (0..60_000).for_each(|_| gif.extend(b",\0\0\0\0\x01\0\x01\0\0\x02\x02D\x01\0"));
        gif.push(b';');
        self.add("sixty thousand frames.gif", gif, Fate::Taken);
        let mut webp = encoded(&gradient(64, 48), Format::Webp, 70);
        webp[4..8].copy_from_slice(&u32::MAX.to_le_bytes());
        self.add("longer than it is.webp", webp, Fate::Taken);
        let mut avif = encoded(&gradient(64, 48), Format::Avif, 70);
        if let Some(at) = avif.windows(4).position(|part| part == b"iloc") {
            avif[at + 4..at + 30].fill(0xFF);
        }
        self.add("parts elsewhere.avif", avif, Fate::Refused(""));
        let mut turned = encode_fast(&gradient(9, 9)).expect("a plain picture");
        turned.truncate(turned.len() - 12);
        self.add("no end.png", turned, Fate::Refused(""));
        let mut icon = b"\0\0\x01\0\x01\0\0\0\0\0\x01\0\x20\0\xFF\xFF\xFF\x7F\x16\0\0\0".to_vec();
        icon.extend([0; 40]);
        self.add("longer than it is.ico", icon, Fate::Refused(""));
    }
}

fn drawing(size: &str, inside: &str) -> String {
    format!("<svg xmlns=\"http://www.w3.org/2000/svg\" {size}>{inside}</svg>")
}

fn packed(bytes: &[u8]) -> Vec<u8> {
    let mut packed = ZlibEncoder::new(Vec::new(), Compression::fast());
    packed.write_all(bytes).expect("memory");
    packed.finish().expect("memory")
}

/// A PNG of so many pixels in three colours, with `chunks` between its head and its end.
fn png(width: u32, height: u32, chunks: &[([u8; 4], Vec<u8>)]) -> Vec<u8> {
    let mut file = b"\x89PNG\r\n\x1a\n".to_vec();
    let head = [&width.to_be_bytes()[..], &height.to_be_bytes(), &[8, 2, 0, 0, 0]].concat();
    let all = [(*b"IHDR", head)].into_iter().chain(chunks.iter().cloned());
    for (kind, content) in all.chain([(*b"IEND", Vec::new())]) {
        file.extend((content.len() as u32).to_be_bytes());
        let mut sum = flate2::Crc::new();
        sum.update(&kind);
        sum.update(&content);
        file.extend(kind);
        file.extend(content);
        file.extend(sum.sum().to_be_bytes());
    }
    file
}

fn set_jpeg_size(file: &mut [u8], width: u16, height: u16) {
    let frame = |part: &[u8]| part[0] == 0xFF && matches!(part[1], 0xC0 | 0xC2);
    let at = file.windows(2).position(frame).expect("a frame");
    file[at + 5..at + 7].copy_from_slice(&height.to_be_bytes());
    file[at + 7..at + 9].copy_from_slice(&width.to_be_bytes());
}
