//! What is worth mending of a set before it goes into a page.

use brisk_margin_core::format::Format;
use brisk_margin_core::issue::{Evidence, Issue, IssuePlace, ProfileLoss};
use brisk_margin_core::markup::position::Holder;
use brisk_margin_core::source_format::SourceFormat;
use brisk_margin_store::pictures::Picture;

use super::ResponsiveSet;

impl ResponsiveSet {
    /// What is worth mending of the set of `picture`, the most serious first.
    pub fn issues(&self, picture: &Picture) -> Vec<Issue> {
        if self.decision.excluded.value {
            return vec![Issue { place: IssuePlace::Set, evidence: Evidence::Excluded }];
        }
        let on = |place| move |evidence| Issue { place, evidence };
        let has_no_alt = self.markup().alt.is_empty() && !picture.description.decorative;
        let alt = has_no_alt.then_some(Evidence::NoAlt).map(on(IssuePlace::AltText));
        let of_the_set = [
            self.too_small(picture),
            self.lacks_selector().then_some(Evidence::SelectorUnknown),
            self.profile_not_kept(picture),
        ];
        let of_the_set = of_the_set.into_iter().flatten().chain(self.left_out());
        let mut issues: Vec<_> = of_the_set.map(on(IssuePlace::Set)).chain(alt).collect();
        issues.sort_by_key(Issue::kind);
        issues
    }

    /// The profile that the files stay in, where it is not sRGB.
    pub fn profile<'a>(&self, picture: &'a Picture) -> Option<&'a str> {
        let mut widths = self.parts.iter().flat_map(|part| &part.widths);
        let is_own = widths.any(|width| !width.spec.colours.is_srgb());
        picture.facts.profile.as_deref().filter(|_| is_own)
    }

    fn too_small(&self, picture: &Picture) -> Option<Evidence> {
        // A drawing has enough pixels for any screen.
        let has_pixels = picture.facts.format != SourceFormat::Svg;
        has_pixels.then(|| Evidence::too_small(self.shortfall())).flatten()
    }

    fn lacks_selector(&self) -> bool {
        self.slot.holder() == Holder::Background && self.slot.selector.is_none()
    }

    fn profile_not_kept(&self, picture: &Picture) -> Option<Evidence> {
        let profile = picture.facts.profile.clone()?;
        if !self.decision.keeps_profile.value || self.profile(picture).is_some() {
            return None;
        }
        let reason = match () {
            () if picture.facts.frames > 1 => ProfileLoss::Motion,
            () if self.decision.formats.value.contains(&Format::Gif) => ProfileLoss::Gif,
            () => ProfileLoss::Edits,
        };
        Some(Evidence::ProfileNotKept { profile, reason })
    }

    fn left_out(&self) -> impl Iterator<Item = Evidence> {
        let offered = self.offered();
        let formats = self.formats.iter().copied();
        let left = formats.filter(move |format| !offered.contains(format));
        left.map(|format| Evidence::FormatLeftOut { format })
    }
}
