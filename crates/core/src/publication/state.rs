//! Where a publication stands, and what may be done with it.

use serde::{Deserialize, Serialize};
use uuid::Uuid;

use super::host::LeftFormat;
use crate::format::Format;

/// What is to be published.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct PublicationWish {
    /// On these pages alone; on all where nothing is given. What a style sheet shows changes wherever that
    /// is used.
    #[serde(default)]
    pub pages: Option<Vec<Uuid>>,
    /// These pictures alone; all where nothing is given.
    #[serde(default)]
    pub pictures: Option<Vec<Uuid>>,
    /// The folder of the site that their files go to, from its root.
    pub folder: String,
    /// Whether other things on a page may stand elsewhere afterwards.
    #[serde(default)]
    pub may_move: bool,
    /// The icons that were made, and nothing else.
    #[serde(default)]
    pub icons: bool,
    /// Formats that the host does not serve as it should, which are not offered.
    #[serde(default)]
    pub without: Vec<LeftFormat>,
}

/// Where files go that nobody chose a folder for.
pub const USUAL_FOLDER: &str = "variants";

/// `text` as a folder of a site, without slashes around it.
///
/// # Errors
/// What is wrong with it, in words.
pub fn files_folder(text: &str) -> Result<String, &'static str> {
    let folder = text.trim().trim_matches('/');
    let is_plain = |part: &str| {
        let plain = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_');
        !part.is_empty() && part.chars().all(plain)
    };
    match folder.split('/').all(is_plain) {
        true => Ok(folder.to_owned()),
        false => Err("write letters, figures, - and _, as in media/variants"),
    }
}

impl PublicationWish {
    /// Whether a page is asked for; one that nobody measured is where all are.
    pub fn names_page(&self, page: Option<Uuid>) -> bool {
        self.pages.as_ref().is_none_or(|pages| page.is_some_and(|page| pages.contains(&page)))
    }

    /// Whether files of `format` are offered.
    pub fn offers(&self, format: Format) -> bool {
        !self.without.iter().any(|left| left.format == format)
    }

    /// Whether `picture` is asked for.
    pub fn names_picture(&self, picture: Uuid) -> bool {
        self.pictures.as_ref().is_none_or(|pictures| pictures.contains(&picture))
    }
}

/// Where a publication stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum PublicationState {
    /// What it would change is worked out.
    Preparing,
    /// It could not be worked out.
    Failed,
    /// It can be published.
    Ready,
    /// Somebody changed the site since it was worked out: it has to be prepared again.
    Outdated,
    /// It is written to the site.
    Publishing,
    /// Writing ended in the middle: it can go on, or back.
    Interrupted,
    /// It is on the site.
    Published,
    /// It is taken back.
    TakingBack,
    /// It was taken back but for what somebody changed since.
    PartlyBack,
    /// The site is as it was before.
    TakenBack,
}

/// What is done with a publication.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum PublicationAct {
    /// What it would change is worked out.
    Prepare,
    /// It is written to the site.
    Publish,
    /// It is taken back; what somebody changed since is left alone.
    TakeBack,
    /// It is taken back with what somebody changed since.
    TakeAllBack,
}

impl PublicationState {
    /// Every state.
    pub const ALL: [Self; 10] = [
        Self::Preparing,
        Self::Failed,
        Self::Ready,
        Self::Outdated,
        Self::Publishing,
        Self::Interrupted,
        Self::Published,
        Self::TakingBack,
        Self::PartlyBack,
        Self::TakenBack,
    ];

    /// Its name in the database.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Preparing => "preparing",
            Self::Failed => "failed",
            Self::Ready => "ready",
            Self::Outdated => "outdated",
            Self::Publishing => "publishing",
            Self::Interrupted => "interrupted",
            Self::Published => "published",
            Self::TakingBack => "taking-back",
            Self::PartlyBack => "partly-back",
            Self::TakenBack => "taken-back",
        }
    }

    /// The state called `name`; nothing where this version knows none.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|state| state.name() == name)
    }

    /// Whether a job is at it.
    pub const fn is_under_way(self) -> bool {
        matches!(self, Self::Preparing | Self::Publishing | Self::TakingBack)
    }

    /// What is under way; nothing where nothing is. `left_alone` tells that somebody's changes were left
    /// alone when it was taken back before.
    pub const fn act(self, left_alone: bool) -> Option<PublicationAct> {
        match (self, left_alone) {
            (Self::Preparing, _) => Some(PublicationAct::Prepare),
            (Self::Publishing, _) => Some(PublicationAct::Publish),
            (Self::TakingBack, false) => Some(PublicationAct::TakeBack),
            (Self::TakingBack, true) => Some(PublicationAct::TakeAllBack),
            _ => None,
        }
    }

    /// Whether it can be forgotten: nothing of it is on the site.
    pub const fn can_be_forgotten(self) -> bool {
        matches!(self, Self::Failed | Self::Ready | Self::Outdated)
    }
}

impl PublicationAct {
    const ALL: [Self; 4] = [Self::Prepare, Self::Publish, Self::TakeBack, Self::TakeAllBack];

    /// What may be done with a publication that stands at `state`.
    pub fn at(state: PublicationState) -> Vec<Self> {
        Self::ALL.into_iter().filter(|act| act.from().contains(&state)).collect()
    }

    /// The states from which it may begin.
    pub const fn from(self) -> &'static [PublicationState] {
        use PublicationState as State;
        match self {
            Self::Prepare => &[State::Failed, State::Outdated, State::Ready],
            Self::Publish => &[State::Ready, State::Interrupted],
            Self::TakeBack => &[State::Published, State::Interrupted],
            Self::TakeAllBack => &[State::PartlyBack],
        }
    }

    /// The state in which it is done.
    pub const fn doing(self) -> PublicationState {
        match self {
            Self::Prepare => PublicationState::Preparing,
            Self::Publish => PublicationState::Publishing,
            Self::TakeBack | Self::TakeAllBack => PublicationState::TakingBack,
        }
    }

    /// Why it cannot be done with a publication that stands at `state`, in words.
    pub const fn refusal(self, state: PublicationState) -> &'static str {
        use PublicationState as State;
        match (self, state) {
            (_, State::Preparing) => "it is being prepared; wait until that has ended",
            (_, State::Publishing) => "it is being published; wait until that has ended",
            (_, State::TakingBack) => "it is being taken back; wait until that has ended",
            (_, State::TakenBack) => "it was taken back; prepare another one",
            (Self::Publish, State::Outdated) => {
                "the site was changed since it was prepared; prepare it again"
            }
            (Self::Publish, State::Failed) => "it could not be prepared; prepare it again",
            (Self::Publish | Self::Prepare, State::Published) => "it is on the site already",
            (Self::Publish | Self::Prepare, State::PartlyBack) => {
                "a part of it is on the site still; take that back first"
            }
            (Self::Prepare, State::Interrupted) => {
                "a part of it is on the site; have it go on, or take it back"
            }
            (Self::TakeAllBack, State::Published | State::Interrupted) => {
                "take it back first; what somebody changed since is told then"
            }
            (Self::TakeBack, State::PartlyBack) => {
                "what is left was changed by somebody else; say that it is to go as well"
            }
            _ => "nothing of it is on the site",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_read_back() {
        for state in PublicationState::ALL {
            assert_eq!(PublicationState::named(state.name()), Some(state));
            let json = serde_json::to_value(state).unwrap();
            assert_eq!(json, state.name(), "it is called the same wherever it is told");
        }
    }

    #[test]
    fn what_is_on_a_site_is_neither_forgotten_nor_prepared_again() {
        use PublicationAct as Act;
        let acts = Act::ALL;
        for state in PublicationState::ALL {
            let taken_back =
                Act::TakeBack.from().contains(&state) || Act::TakeAllBack.from().contains(&state);
            assert!(!(taken_back && state.can_be_forgotten()), "{state:?}");
            assert!(!(taken_back && Act::Prepare.from().contains(&state)), "{state:?}");
            assert!(Act::at(state).is_empty() || !state.is_under_way(), "{state:?}: one at a time");
        }
        for act in acts {
            assert!(act.doing().is_under_way());
            assert_eq!(
                act.doing().act(act == Act::TakeAllBack),
                Some(act),
                "it is told by the state"
            );
        }
    }

    #[test]
    fn a_folder_is_one_of_the_site() {
        assert_eq!(files_folder(" /media/made/ "), Ok("media/made".to_owned()));
        for wrong in ["", "/", "../up", "a//b", ".git", "a/.b", "a b", "a?b", "a\\b", "a\"b"] {
            assert!(files_folder(wrong).is_err(), "{wrong}");
        }
    }
}
