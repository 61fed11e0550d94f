//! Moving pictures: frames that follow each other.

use brisk_margin_core::geometry::Size;

use crate::raster::Raster;

/// The most pixels that the frames of one file may have in all: about a gigabyte of memory while
/// they are worked on.
pub const MOST_PIXELS: u64 = 120_000_000;

/// One picture of several.
#[derive(Debug, Clone, PartialEq)]
pub struct Frame {
    /// What is shown.
    pub raster: Raster,
    /// For how long, in milliseconds.
    pub millis: u16,
}

/// Pictures of one size that follow each other.
#[derive(Debug, Clone, PartialEq)]
pub struct Motion {
    /// The pictures, at least one.
    pub frames: Vec<Frame>,
    /// How often they are shown; 0 for without end.
    pub loops: u16,
}

impl Motion {
    /// The size of every frame.
    pub fn size(&self) -> Size {
        self.frames[0].raster.size()
    }

    /// The middle of the time that frame `n` is shown, in milliseconds from the start.
    pub fn middle_of(&self, n: usize) -> u64 {
        let before: u64 = self.frames[..n].iter().map(|frame| u64::from(frame.millis)).sum();
        before + u64::from(self.frames[n].millis) / 2
    }

    /// The frame that is shown so many milliseconds from the start; the last one beyond its end.
    pub fn shown_at(&self, millis: u64) -> &Frame {
        let mut end = 0;
        let shown = self.frames.iter().find(|frame| {
            end += u64::from(frame.millis);
            millis < end
        });
        shown.unwrap_or(&self.frames[self.frames.len() - 1])
    }

    /// Up to `count` frames, the first and the last among them: those that are looked at to judge
    /// all.
    pub fn sampled(&self, count: usize) -> Vec<usize> {
        let last = self.frames.len() - 1;
        let count = count.clamp(1, self.frames.len());
        let mut sampled: Vec<usize> = (0..count).map(|n| n * last / (count - 1).max(1)).collect();
        sampled.dedup();
        sampled
    }
}
