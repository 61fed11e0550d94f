//! The weights of a site over time as a drawing to print, with what was done to the site meanwhile.

use std::fmt::Write;

use chrono::{DateTime, Utc};

use super::history::{Mark, WeightPoint};
use crate::markup::escaped;
use crate::units::Bytes;

/// How wide and high the drawing is, in its own units.
const SIZE: (f64, f64) = (640.0, 150.0);
// Where the axes stand.
const LEFT: f64 = 70.0;
const RIGHT: f64 = 630.0;
const TOP: f64 = 16.0;
const BOTTOM: f64 = 130.0;
/// Marks that are told at most, the latest.
const MOST_MARKS: usize = 20;

/// The weights of a site over time.
pub(super) struct WeightChart<'a> {
    points: &'a [WeightPoint],
    marks: &'a [Mark],
    /// From its first moment to a little after its last.
    time: (DateTime<Utc>, DateTime<Utc>),
    /// At the top of it.
    most: Bytes,
}

impl<'a> WeightChart<'a> {
    /// Nothing where there are not two points, between which something changed.
    pub(super) fn of(points: &'a [WeightPoint], marks: &'a [Mark]) -> Option<Self> {
        let ([first, ..], [.., last]) = (points, points) else { return None };
        let end = marks.iter().map(|mark| mark.at).fold(last.at, DateTime::max);
        let most = points.iter().map(|point| point.total).max()?;
        let marks = &marks[marks.len().saturating_sub(MOST_MARKS)..];
        let is_drawn = points.len() > 1 && end > first.at && most > Bytes(0);
        // The last step is seen, too.
        let end = end + (end - first.at) / 24;
        is_drawn.then_some(Self { points, marks, time: (first.at, end), most })
    }

    fn x(&self, at: DateTime<Utc>) -> f64 {
        let (start, end) = self.time;
        let share = (at - start).as_seconds_f64() / (end - start).as_seconds_f64();
        LEFT + share.clamp(0.0, 1.0) * (RIGHT - LEFT)
    }

    fn y(&self, bytes: Bytes) -> f64 {
        BOTTOM - bytes.get() as f64 / self.most.get() as f64 * (BOTTOM - TOP)
    }

    /// A step for each point, from the first to the end.
    fn steps(&self, of: impl Fn(&WeightPoint) -> Bytes) -> String {
        let mut path = String::new();
        for (n, point) in self.points.iter().enumerate() {
            let (x, y) = (self.x(point.at), self.y(of(point)));
            let _ = match n {
                0 => write!(path, "M{x:.1} {y:.1}"),
                _ => write!(path, "H{x:.1}V{y:.1}"),
            };
        }
        let _ = write!(path, "H{RIGHT}");
        path
    }

    /// As HTML: a sentence, the drawing, and what its numbers stand for.
    pub(super) fn html(&self) -> String {
        let (first, last) = (&self.points[0], &self.points[self.points.len() - 1]);
        let mut html = format!(
            "<h2>How it came to this</h2>\n<p>{} on {} ({} pages), {} on {} ({} pages).</p>\n",
            first.total,
            day(first.at),
            first.pages,
            last.total,
            day(last.at),
            last.pages,
        );
        let (width, height) = SIZE;
        let _ = write!(
            html,
            "<svg width=\"100%\" viewBox=\"0 0 {width} {height}\" font-size=11 role=img aria-label=\"What all pages \
             weigh over time: from {} to {}\"><path d=\"{}V{BOTTOM}H{LEFT}Z\" fill=#cfe0df stroke=none /><path d=\"{}\" \
             fill=none stroke=#1d1d1d stroke-width=1.5 /><path d=\"M{LEFT} {TOP}V{BOTTOM}H{RIGHT}\" fill=none \
             stroke=#808080 /><text x={} y={} text-anchor=end>{}</text><text x={} y={BOTTOM} text-anchor=end>0</text>",
            first.total,
            last.total,
            self.steps(|point| point.pictures),
            self.steps(|point| point.total),
            LEFT - 6.0,
            TOP + 4.0,
            self.most,
            LEFT - 6.0,
        );
        for (n, mark) in self.marks.iter().enumerate() {
            let x = self.x(mark.at);
            let _ = write!(
                html,
                "<path d=\"M{x:.1} {TOP}V{BOTTOM}\" stroke=#565656 stroke-dasharray=\"3 3\" /><text x={x:.1} y={} \
                 text-anchor=middle>{}</text>",
                BOTTOM + 14.0,
                n + 1
            );
        }
        html.push_str(
            "</svg>\n<p class=s>The line: all that pages transfer. Filled: pictures.</p>\n",
        );
        if !self.marks.is_empty() {
            html.push_str("<table><thead><tr><th class=n>No.<th>Day<th>What was done</thead>\n");
            for (n, mark) in self.marks.iter().enumerate() {
                let _ = writeln!(
                    html,
                    "<tr><td class=n>{}<td>{}<td>{}",
                    n + 1,
                    day(mark.at),
                    escaped(&mark.words)
                );
            }
            html.push_str("</table>\n");
        }
        html
    }
}

fn day(at: DateTime<Utc>) -> String {
    at.format("%-d %B %Y").to_string()
}

#[cfg(test)]
mod tests {
    use chrono::TimeDelta;
    use uuid::Uuid;

    use super::*;
    use crate::load::history::MarkKind;

    fn point(day: i64, kb: u64) -> WeightPoint {
        let at = DateTime::UNIX_EPOCH + TimeDelta::days(day);
        WeightPoint { at, pages: 7, total: Bytes::kb(kb), pictures: Bytes::kb(kb / 2) }
    }

    #[test]
    fn weights_are_steps_and_what_was_done_is_numbered() {
        let points = [point(0, 800), point(10, 200)];
        let at = DateTime::UNIX_EPOCH + TimeDelta::days(5);
        let marks = [Mark::new(at, MarkKind::Published, Uuid::nil(), "All & more")];
        let html = WeightChart::of(&points, &marks).unwrap().html();
        // Half of the time is half of the way to the last step; a quarter of the weight a quarter of the height.
        assert!(html.contains("d=\"M70.0 16.0H607.6V101.5H630\""), "{html}");
        assert!(html.contains("M338.8 16V130"), "{html}");
        assert!(html.contains("<td>6 January 1970<td>Published: All &amp; more"), "{html}");
        assert!(
            html.contains("800 KB on 1 January 1970 (7 pages), 200 KB on 11 January"),
            "{html}"
        );
    }

    #[test]
    fn nothing_is_drawn_where_nothing_changed() {
        assert!(WeightChart::of(&[], &[]).is_none());
        assert!(WeightChart::of(&[point(0, 800)], &[]).is_none());
        assert!(WeightChart::of(&[point(3, 800), point(3, 700)], &[]).is_none(), "at one moment");
    }
}
