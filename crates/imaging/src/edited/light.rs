//! Light: the pixels that edits work on, as linear light with alpha multiplied in, and how they are
//! taken from a picture through its canvas.

use crate::codec::CodecError;
use crate::own_colours::OwnColours;
use crate::raster::{Channels, Raster};
use crate::resize::{self, FROM_LINEAR, Region, TO_LINEAR};
use crate::turn;
use brisk_margin_core::edits::canvas::Canvas;
use brisk_margin_core::edits::values::Ground;
use brisk_margin_core::geometry::{Rect, Size};
use brisk_margin_core::orientation::Orientation;

/// Red, green, blue and alpha of a pixel: light from 0 to 1 and beyond, multiplied by alpha.
pub(super) type Lit = [f32; 4];

/// A part of a picture as light.
pub(super) struct Light {
    pub size: Size,
    pub pixels: Vec<Lit>,
}

/// The pixels that a picture is rendered from: all of it as decoded, or a reduced copy.
#[derive(Clone, Copy)]
pub struct Pixels<'a> {
    raster: &'a Raster,
    /// The size of the picture as stored, of which the raster may be a reduced copy.
    stored: Size,
    upright: Orientation,
    profile: Option<&'a OwnColours>,
}

/// A part of a canvas, scaled.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct View {
    /// In pixels of the canvas.
    pub crop: Rect,
    /// In pixels of the file.
    pub output: Size,
}

impl<'a> Pixels<'a> {
    /// Pixels as decoded of a picture stored as `stored`, to be turned upright and converted.
    pub(crate) const fn decoded(
        raster: &'a Raster,
        stored: Size,
        upright: Orientation,
        profile: Option<&'a OwnColours>,
    ) -> Self {
        Self { raster, stored, upright, profile }
    }

    /// A copy, upright and in sRGB, of a picture of upright size `size`.
    pub const fn copy(raster: &'a Raster, size: Size) -> Self {
        Self { raster, stored: size, upright: Orientation::UPRIGHT, profile: None }
    }

    /// All of an upright picture in a colour profile of its own.
    pub const fn with_profile(raster: &'a Raster, profile: Option<&'a OwnColours>) -> Self {
        Self { raster, stored: raster.size(), upright: Orientation::UPRIGHT, profile }
    }

    /// Whether a pixel can be transparent.
    pub(super) fn has_alpha(&self) -> bool {
        self.raster.channels() == Channels::Rgba
    }

    /// The part `tile` of `view`, in pixels of the file.
    ///
    /// # Errors
    /// Those of bringing its colours to sRGB.
    pub(super) fn light(
        &self,
        canvas: &Canvas,
        view: View,
        tile: Rect,
    ) -> Result<Light, CodecError> {
        if canvas.radians() == 0.0 {
            self.level(canvas, view, tile)
        } else {
            self.slanted(canvas, view, tile)
        }
    }

    fn level(&self, canvas: &Canvas, view: View, tile: Rect) -> Result<Light, CodecError> {
        let (straight, left, top) = canvas.straight();
        let across = Span::new(view.crop.x, view.crop.width, view.output.width, tile.x, tile.width);
        let down =
            Span::new(view.crop.y, view.crop.height, view.output.height, tile.y, tile.height);
        let (across, down) = (across.shifted(left), down.shifted(top));
        let ground = lit(canvas.ground());
        let mut light = Light::filled(tile.size(), ground);
        let (Some((a, b)), Some((c, d))) =
            (across.meets(straight.width), down.meets(straight.height))
        else {
            return Ok(light);
        };
        let (x, width) = across.clipped(a, b, straight.width);
        let (y, height) = down.clipped(c, d, straight.height);
        let part = self.scaled(canvas, Region { x, y, width, height }, Size::new(b - a, d - c))?;
        if !canvas.reaches_out() && part.size == tile.size() {
            return Ok(part);
        }
        let covers = |span: &Span, from: u32, to: u32, side: u32| -> Vec<f32> {
            (from..to).map(|n| span.covered(n, side)).collect()
        };
        let (columns, rows) =
            (covers(&across, a, b, straight.width), covers(&down, c, d, straight.height));
        for (y, row) in (c..d).zip(part.pixels.chunks_exact((b - a) as usize)) {
            let start = (y * tile.width + a) as usize;
            let down = rows[(y - c) as usize];
            let to = &mut light.pixels[start..start + row.len()];
            for ((to, from), across) in to.iter_mut().zip(row).zip(&columns) {
                *to = mix(ground, *from, across * down);
            }
        }
        Ok(light)
    }

    /// The picture is scaled first, as far as the tile shows it, and then turned by its angle.
    fn slanted(&self, canvas: &Canvas, view: View, tile: Rect) -> Result<Light, CodecError> {
        const MARGIN: f64 = 3.0;
        let (straight, left, top) = canvas.straight();
        let turned = canvas.turned().apply(canvas.source());
        let across = Span::new(view.crop.x, view.crop.width, view.output.width, tile.x, tile.width);
        let down =
            Span::new(view.crop.y, view.crop.height, view.output.height, tile.y, tile.height);
        let per_pixel = across.step.min(down.step);
        let corners = [(0, 0), (tile.width, 0), (tile.width, tile.height), (0, tile.height)]
            .map(|(x, y)| canvas.turned_at(across.at(x), down.at(y)));
        let bounds = |of: fn(&(f64, f64)) -> f64, side: u32| {
            let most = corners.iter().map(of).fold(f64::NEG_INFINITY, f64::max);
            let least = corners.iter().map(of).fold(f64::INFINITY, f64::min);
            let side = f64::from(side);
            let from = (least - MARGIN * per_pixel).clamp(0.0, side);
            let to = (most + MARGIN * per_pixel).clamp(0.0, side);
            // Where nothing of it is shown, one pixel at the edge stands for it.
            let from = from.min((side - 1.0).max(0.0));
            (from, (to - from).max(1.0_f64.min(side)))
        };
        let (x, width) = bounds(|point| point.0, turned.width);
        let (y, height) = bounds(|point| point.1, turned.height);
        let pixels = |length: f64| ((length / per_pixel).ceil() as u32).max(1);
        let size = Size::new(pixels(width), pixels(height));
        let source = self.scaled(canvas, Region { x, y, width, height }, size)?;
        let scale = (f64::from(size.width) / width, f64::from(size.height) / height);
        let (fill, ground) = (lit(canvas.corners()), lit(canvas.ground()));
        let side = |value: f64, side: u32| value.min(f64::from(side) - value) / per_pixel + 0.5;
        let columns: Vec<f32> = {
            let span = across.shifted(left);
            (0..tile.width).map(|n| span.covered(n, straight.width)).collect()
        };
        let rows = down.shifted(top);
        let mut light =
            Light { size: tile.size(), pixels: Vec::with_capacity(tile.size().pixels() as usize) };
        for row in 0..tile.height {
            let covered = rows.covered(row, straight.height);
            for column in 0..tile.width {
                let middle = |span: &Span, n: u32| span.from + span.step * (f64::from(n) + 0.5);
                let (tx, ty) = canvas.turned_at(middle(&across, column), middle(&down, row));
                let mut pixel = source.at((tx - x) * scale.0 - 0.5, (ty - y) * scale.1 - 0.5);
                if canvas.reaches_out() {
                    let inside = side(tx, turned.width).min(side(ty, turned.height));
                    pixel = mix(fill, pixel, inside.clamp(0.0, 1.0) as f32);
                    pixel = mix(ground, pixel, columns[column as usize] * covered);
                }
                light.pixels.push(pixel);
            }
        }
        Ok(light)
    }

    /// A part of the picture as turned, in its pixels, scaled to `output`.
    fn scaled(&self, canvas: &Canvas, part: Region, output: Size) -> Result<Light, CodecError> {
        let whole = self.upright.then(canvas.turned());
        let turned = canvas.turned().apply(canvas.source());
        let back = whole.inverse();
        let (ax, ay) = back.point(part.x, part.y, turned);
        let (bx, by) = back.point(part.x + part.width, part.y + part.height, turned);
        let along = |a: f64, b: f64, stored: u32, there: u32| {
            let factor = f64::from(there) / f64::from(stored);
            let start = (a.min(b) * factor).max(0.0);
            (start, ((b - a).abs() * factor).min(f64::from(there) - start))
        };
        let there = self.raster.size();
        let (x, width) = along(ax, bx, self.stored.width, there.width);
        let (y, height) = along(ay, by, self.stored.height, there.height);
        let stored_output = back.apply(output);
        let each = self.raster.channels().count();
        let region = Region { x, y, width, height };
        let mut light = resize::resize_light(self.raster, region, stored_output);
        if let Some(profile) = self.profile {
            profile.convert_light(&mut light, each)?;
        }
        if whole != Orientation::UPRIGHT {
            light = turn::samples(whole, &light, stored_output, each);
        }
        let share = |value: u16| f32::from(value) * (1.0 / 65_535.0);
        let pixels = if each == 3 {
            let (chunks, _) = light.as_chunks::<3>();
            chunks.iter().map(|&[r, g, b]| [share(r), share(g), share(b), 1.0]).collect()
        } else {
            let (chunks, _) = light.as_chunks::<4>();
            let premultiplied = |&[r, g, b, a]: &[u16; 4]| {
                let alpha = share(a);
                [share(r) * alpha, share(g) * alpha, share(b) * alpha, alpha]
            };
            chunks.iter().map(premultiplied).collect()
        };
        Ok(Light { size: output, pixels })
    }
}

/// The pixels of a tile along one side, on the canvas.
#[derive(Clone, Copy)]
struct Span {
    from: f64,
    step: f64,
    count: u32,
}

impl Span {
    fn new(crop: u32, length: u32, output: u32, first: u32, count: u32) -> Self {
        let step = f64::from(length) / f64::from(output);
        Self { from: f64::from(crop) + step * f64::from(first), step, count }
    }

    fn shifted(self, by: i64) -> Self {
        Self { from: self.from + by as f64, ..self }
    }

    fn at(&self, pixel: u32) -> f64 {
        self.from + self.step * f64::from(pixel)
    }

    /// The first of its pixels that meets a picture of `side` pixels, and the one after the last.
    fn meets(&self, side: u32) -> Option<(u32, u32)> {
        const ROUNDING: f64 = 1e-9;
        let first = ((-self.from / self.step + ROUNDING).floor().max(0.0)) as u32;
        let end = ((f64::from(side) - self.from) / self.step - ROUNDING).ceil().max(0.0) as u32;
        let end = end.min(self.count);
        (first < end).then_some((first, end))
    }

    /// Where its pixels `from..to` begin on that picture, and how long they are there.
    fn clipped(&self, from: u32, to: u32, side: u32) -> (f64, f64) {
        let side = f64::from(side);
        let start = self.at(from).clamp(0.0, side);
        (start, (self.at(to).min(side) - start).max(1e-6))
    }

    /// How much of a pixel lies on that picture, 0 to 1.
    fn covered(&self, pixel: u32, side: u32) -> f32 {
        let (from, to) = (self.at(pixel), self.at(pixel + 1));
        let length = (to.min(f64::from(side)) - from.max(0.0)).max(0.0);
        let share = (length / self.step).min(1.0);
        // Rounding must not make the edge of a picture transparent.
        if share > 1.0 - 1e-6 { 1.0 } else { share as f32 }
    }
}

impl Light {
    fn filled(size: Size, with: Lit) -> Self {
        Self { size, pixels: vec![with; size.pixels() as usize] }
    }

    /// The light at a point between pixel middles, by Catmull and Rom's cubic (1974); the edge
    /// goes on outside.
    fn at(&self, x: f64, y: f64) -> Lit {
        let weights = |t: f32| {
            let (t2, t3) = (t * t, t * t * t);
            [
                0.5 * (-t3 + 2.0 * t2 - t),
                0.5 * (3.0 * t3 - 5.0 * t2 + 2.0),
                0.5 * (-3.0 * t3 + 4.0 * t2 + t),
                0.5 * (t3 - t2),
            ]
        };
        let (x0, y0) = (x.floor(), y.floor());
        let (across, down) = (weights((x - x0) as f32), weights((y - y0) as f32));
        let index = |start: f64, offset: i64, length: u32| {
            (start as i64 + offset).clamp(0, i64::from(length) - 1) as usize
        };
        let mut sum = [0.0; 4];
        for (dy, wy) in (-1..).zip(down) {
            let row = index(y0, dy, self.size.height) * self.size.width as usize;
            for (dx, wx) in (-1..).zip(across) {
                let pixel = self.pixels[row + index(x0, dx, self.size.width)];
                for (sum, value) in sum.iter_mut().zip(pixel) {
                    *sum += wx * wy * value;
                }
            }
        }
        // The cubic may overshoot at edges, which alpha must not.
        let alpha = sum[3].clamp(0.0, 1.0);
        [sum[0].max(0.0), sum[1].max(0.0), sum[2].max(0.0), alpha]
    }

    /// Writes the part `part` of it, straight and in 8 bits a channel, to `to` from `x`, `y` on.
    pub(super) fn write(&self, part: Rect, to: &mut Raster, x: u32, y: u32) {
        let stride = to.stride();
        for row in 0..part.height {
            let from = ((part.y + row) * self.size.width + part.x) as usize;
            let start = (y + row) as usize * stride + x as usize * 4;
            let pixels = &self.pixels[from..from + part.width as usize];
            let bytes = &mut to.data_mut()[start..start + pixels.len() * 4];
            for (bytes, &pixel) in bytes.chunks_exact_mut(4).zip(pixels) {
                bytes.copy_from_slice(&shown(pixel));
            }
        }
    }
}

/// A pixel in straight sRGB, 8 bits a channel.
fn shown([r, g, b, alpha]: Lit) -> [u8; 4] {
    if alpha <= 0.0 {
        return [0; 4];
    }
    let whole = if alpha >= 1.0 { 1.0 } else { alpha.recip() };
    let shade = |light: f32| {
        let light = (light * whole).clamp(0.0, 1.0);
        FROM_LINEAR[(light * 65_535.0 + 0.5) as usize]
    };
    [shade(r), shade(g), shade(b), (alpha.min(1.0) * 255.0 + 0.5) as u8]
}

/// A ground as light.
fn lit(ground: Ground) -> Lit {
    let [r, g, b, alpha] = ground.rgba();
    if alpha == 0 {
        return [0.0; 4];
    }
    let light = |shade: u8| f32::from(TO_LINEAR[usize::from(shade)]) / 65_535.0;
    [light(r), light(g), light(b), 1.0]
}

fn mix(below: Lit, above: Lit, share: f32) -> Lit {
    if share >= 1.0 {
        return above;
    }
    std::array::from_fn(|n| below[n] + (above[n] - below[n]) * share)
}
