//! Positions: where a browser holds a file that it crops, by `object-position` (CSS Images 3) or,
//! for a background, by `background-position` (CSS Backgrounds 3).

/// Where a browser holds a file from a viewport on.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Held {
    /// The narrowest viewport, in CSS pixels.
    pub from: u32,
    /// Percent across and down.
    pub position: (f64, f64),
}

/// What a file is held in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Holder {
    /// An element that shows a picture.
    Element,
    /// A background.
    Background,
}

impl Holder {
    /// The properties for size and position.
    const fn properties(self) -> (&'static str, &'static str) {
        match self {
            Self::Element => ("object-fit", "object-position"),
            Self::Background => ("background-size", "background-position"),
        }
    }
}

/// Where the file is held at `viewport`, by rules as [`position_rules`] writes them.
pub fn position_at(held: &[Held], viewport: u32) -> (f64, f64) {
    let last = held.iter().rev().find(|rule| rule.from <= viewport).or(held.first());
    last.map_or((50.0, 50.0), |rule| rule.position)
}

/// A position as it is written: percent across and down.
pub fn position_text((x, y): (f64, f64)) -> String {
    let percent = |value: f64| {
        let text = format!("{value:.2}");
        format!("{}%", text.trim_end_matches('0').trim_end_matches('.'))
    };
    format!("{} {}", percent(x), percent(y))
}

/// The style rules for an element that covers its box and is held at another place from each of
/// these viewports on; the narrowest first. Rules that change nothing are left out.
pub fn position_rules(holder: Holder, selector: &str, held: &[Held]) -> String {
    let (fit, place) = holder.properties();
    let mut rules = String::new();
    let mut last = String::new();
    for (n, rule) in held.iter().enumerate() {
        let now = position_text(rule.position);
        if n == 0 {
            rules = format!("{selector} {{ {fit}: cover; {place}: {now} }}\n");
        } else if now != last {
            rules.push_str(&format!(
                "@media (min-width: {}px) {{ {selector} {{ {place}: {now} }} }}\n",
                rule.from
            ));
        }
        last = now;
    }
    rules
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_position_is_said_once_and_again_where_it_changes() {
        let held = [(390, (50.0, 0.0)), (820, (50.0, 0.0)), (1_280, (50.0, 33.333))]
            .map(|(from, position)| Held { from, position });
        let rules = position_rules(Holder::Element, ".hero img", &held);
        assert_eq!(
            rules,
            ".hero img { object-fit: cover; object-position: 50% 0% }\n\
             @media (min-width: 1280px) { .hero img { object-position: 50% 33.33% } }\n"
        );
        let rules = position_rules(Holder::Background, ".hero", &held[..1]);
        assert_eq!(rules, ".hero { background-size: cover; background-position: 50% 0% }\n");
        assert_eq!(position_at(&held, 1_000), (50.0, 0.0));
        assert_eq!(position_at(&held, 300), (50.0, 0.0));
    }
}
