//! Where clusters of colours with alpha begin: all of them are one group, and the group that differs most is split until
//! there are enough. `quantette` does the same for opaque colours only (Wu's method).

use quantette::deps::palette::{FromColor, Oklab, Oklaba, Srgb};

/// As much of a colour as is seen: the clearer, the less.
pub(super) fn weighed([red, green, blue, alpha]: [u8; 4]) -> Oklaba {
    let alpha = f32::from(alpha) / 255.0;
    let colour = Oklab::from_color(Srgb::new(red, green, blue).into_linear::<f32>());
    Oklaba::new(colour.l * alpha, colour.a * alpha, colour.b * alpha, alpha)
}

/// The colour that [`weighed`] was given.
pub(super) fn plain(weighed: Oklaba) -> [u8; 4] {
    let alpha = weighed.alpha.clamp(f32::EPSILON, 1.0);
    let colour = Oklab::new(weighed.l / alpha, weighed.a / alpha, weighed.b / alpha);
    let colour: Srgb<u8> = Srgb::from_color(colour).into_format();
    [colour.red, colour.green, colour.blue, (alpha * 255.0).round() as u8]
}

/// At most `most` colours that lie among those of `pixels`, all of them where there are no more.
pub(super) fn split(pixels: &[[u8; 4]], most: usize) -> Vec<Oklaba> {
    let mut groups = vec![Group::new(counted(pixels))];
    while groups.len() < most {
        let differs = |group: &Group| group.differs;
        let Some(n) =
            (0..groups.len()).max_by(|&a, &b| differs(&groups[a]).total_cmp(&differs(&groups[b])))
        else {
            break;
        };
        if groups[n].differs == 0.0 {
            break;
        }
        let (low, high) = groups.swap_remove(n).halves();
        groups.extend([low, high]);
    }
    groups.into_iter().map(|group| group.middle.into()).collect()
}

/// Each colour once, with how many pixels have it.
fn counted(pixels: &[[u8; 4]]) -> Vec<Counted> {
    let mut pixels = pixels.to_vec();
    pixels.sort_unstable();
    let same = pixels.chunk_by(|a, b| a == b);
    same.map(|same| Counted { colour: weighed(same[0]).into(), count: same.len() as f32 }).collect()
}

struct Counted {
    colour: [f32; 4],
    count: f32,
}

/// Colours that will be one.
struct Group {
    members: Vec<Counted>,
    middle: [f32; 4],
    /// The channel in which they differ most.
    channel: usize,
    /// The sum of the squares by which they differ in it from the middle; 0 for a single one.
    differs: f32,
}

impl Group {
    fn new(members: Vec<Counted>) -> Self {
        let count: f32 = members.iter().map(|member| member.count).sum();
        let sum =
            |of: &dyn Fn(&Counted) -> f32| members.iter().map(|m| m.count * of(m)).sum::<f32>();
        let middle = [0, 1, 2, 3].map(|n| sum(&|member| member.colour[n]) / count);
        let differ = [0, 1, 2, 3].map(|n| sum(&|member| (member.colour[n] - middle[n]).powi(2)));
        let channel = (0..4).max_by(|&a, &b| differ[a].total_cmp(&differ[b])).unwrap_or(0);
        let differs = if members.len() > 1 { differ[channel] } else { 0.0 };
        Self { members, middle, channel, differs }
    }

    /// Those below the middle, and the others.
    fn halves(self) -> (Self, Self) {
        let Self { members, middle, channel, .. } = self;
        let (low, high) =
            members.into_iter().partition(|member| member.colour[channel] < middle[channel]);
        (Self::new(low), Self::new(high))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_colour_comes_back_from_what_is_seen_of_it(pixel in any::<[u8; 4]>()) {
            prop_assume!(pixel[3] > 0);
            let back = plain(weighed(pixel));
            prop_assert_eq!(pixel[3], back[3]);
            prop_assert_eq!(pixel, back);
        }

        #[test]
        fn groups_are_as_many_as_there_are_colours_and_no_more_than_wanted(
            pixels in prop::collection::vec(prop::array::uniform4(1u8..4), 1..60), most in 1usize..20
        ) {
            let mut colours = pixels.clone();
            colours.sort_unstable();
            colours.dedup();
            prop_assert_eq!(split(&pixels, most).len(), colours.len().min(most));
        }
    }
}
