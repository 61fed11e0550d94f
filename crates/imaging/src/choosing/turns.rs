//! Turns: in which order the files of a picture take the least time together.

use std::cmp::Reverse;

use brisk_margin_core::format::Format;
use rayon::prelude::*;

use super::Hints;

/// Files of a picture in one format, by their places.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Turn {
    /// The one of a middling size, which tells of the others.
    pub first: usize,
    /// The others, what takes longest first: so no core is left with it at the end.
    pub others: Vec<usize>,
}

/// The turns of `files`, each given by its format and its pixels, what takes longest first. No format
/// waits for another. Where files tell nothing of each other, each is a turn of its own.
pub fn turns(files: &[(Format, u64)]) -> Vec<Turn> {
    let longest_first = |n: &usize| Reverse(files[*n].1 * patience(files[*n].0));
    let mut turns = Vec::new();
    for format in [Format::Jpeg, Format::Webp, Format::Avif, Format::Jxl] {
        let own = |n: &usize| files[*n].0 == format;
        let mut others: Vec<usize> = (0..files.len()).filter(own).collect();
        others.sort_by_key(|&n| files[n].1);
        if !others.is_empty() {
            let first = others.remove(others.len() / 2);
            others.sort_by_key(longest_first);
            turns.push(Turn { first, others });
        }
    }
    let alone = |n: &usize| matches!(files[*n].0, Format::Png | Format::Gif);
    turns.extend((0..files.len()).filter(alone).map(|first| Turn { first, others: Vec::new() }));
    turns.sort_by_key(|turn| longest_first(&turn.first));
    turns
}

/// Makes the files of `turns` on all cores. `make` gets a file's place and what is known of it, and
/// returns it with what it tells of the others of its turn. Each comes with its place, in no order.
///
/// # Errors
/// One of those of `make`.
pub fn in_turns<T: Send, E: Send>(
    turns: &[Turn],
    make: impl Fn(usize, Hints) -> Result<(T, Hints), E> + Sync,
) -> Result<Vec<(usize, T)>, E> {
    let one_turn = |turn: &Turn| {
        let (file, hints) = make(turn.first, Hints::NONE)?;
        let others = turn.others.par_iter().with_max_len(1);
        let others = others.map(|&n| make(n, hints).map(|(file, _)| (n, file)));
        let mut made = others.collect::<Result<Vec<_>, E>>()?;
        made.push((turn.first, file));
        Ok(made)
    };
    // What stands in one piece cannot be taken over by a core that is done.
    let made = turns.par_iter().with_max_len(1).map(one_turn);
    Ok(made.collect::<Result<Vec<_>, E>>()?.into_iter().flatten().collect())
}

/// How long a search takes for each pixel, roughly, beside one for JPEG.
const fn patience(format: Format) -> u64 {
    match format {
        Format::Avif => 3,
        Format::Png | Format::Jxl => 2,
        Format::Jpeg | Format::Webp | Format::Gif => 1,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use brisk_margin_core::content::ContentClass;
    use brisk_margin_core::encoding::{Encoding, Quality};
    use brisk_margin_core::grade::Score;

    fn files() -> Vec<(Format, u64)> {
        let sizes = [900, 100, 400];
        let of = |format| sizes.map(|pixels| (format, pixels));
        [Format::Jpeg, Format::Png, Format::Avif].map(of).concat()
    }

    #[test]
    fn a_file_of_a_middling_size_tells_in_each_format_and_the_longest_goes_first() {
        let turn = |first, others: &[usize]| Turn { first, others: others.to_vec() };
        let png = |n| turn(n, &[]);
        let wanted = [png(3), turn(8, &[6, 7]), png(5), turn(2, &[0, 1]), png(4)];
        assert_eq!(turns(&files()), wanted);
        assert_eq!(turns(&[(Format::Webp, 7)]), [turn(0, &[])]);
        assert_eq!(turns(&[]), []);
    }

    #[test]
    fn what_the_first_told_is_known_to_the_others_of_its_format_alone() {
        let files = files();
        let quality = Quality::new(60).unwrap();
        let told = |format| {
            Hints::NONE.and(
                ContentClass::Photograph,
                Encoding::new(format, quality).unwrap(),
                Score(if format == Format::Avif { 50.0 } else { 60.0 }),
            )
        };
        let make = |n: usize, hints| Ok::<_, ()>((hints, told(files[n].0)));
        let mut made = in_turns(&turns(&files), make).unwrap();
        made.sort_by_key(|(n, _)| *n);
        let known =
            |n: usize| if [2, 8, 3, 4, 5].contains(&n) { Hints::NONE } else { told(files[n].0) };
        assert_eq!(made, (0..9).map(|n| (n, known(n))).collect::<Vec<_>>());
        let failing = |n: usize, _| if n == 7 { Err("no room") } else { Ok(((), Hints::NONE)) };
        assert_eq!(in_turns(&turns(&files), failing), Err("no room"));
    }
}
