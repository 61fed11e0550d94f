//! The rule that is chosen for a run: it becomes part of each picture's own rule when that has its turn, and
//! goes again when the run is taken back.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use crate::rule::OutputRule;

/// How the files of a run are made, where that was chosen for it: formats, how good they are, the most
/// bytes, densities, credit and colours, as far as it says something.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[cfg_attr(feature = "schema", schema(value_type = OutputRule))]
#[serde(try_from = "OutputRule", into = "OutputRule")]
pub struct RunRule(OutputRule);

/// Why a rule cannot be that of a run.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
pub enum RunRuleError {
    /// It says nothing.
    #[error("the run's rule says nothing: leave it out")]
    Silent,
    /// It excludes pictures, or has them made again.
    #[error("a run's rule says how files are made; exclude pictures by their own rule")]
    Excludes,
    /// It holds encodings, which are chosen picture by picture.
    #[error("encodings are settled by eye for one picture, and not for a run")]
    Settles,
    /// It names files.
    #[error("a run's rule does not name files; the pattern of the site, slot or picture does")]
    Names,
}

impl TryFrom<OutputRule> for RunRule {
    type Error = RunRuleError;

    fn try_from(rule: OutputRule) -> Result<Self, RunRuleError> {
        if rule.excluded.is_some() {
            Err(RunRuleError::Excludes)
        } else if rule.settled.is_some() {
            Err(RunRuleError::Settles)
        } else if rule.name_pattern.is_some() {
            Err(RunRuleError::Names)
        } else if rule.is_silent() {
            Err(RunRuleError::Silent)
        } else {
            Ok(Self(rule))
        }
    }
}

impl From<RunRule> for OutputRule {
    fn from(RunRule(rule): RunRule) -> Self {
        rule
    }
}

impl RunRule {
    /// What becomes of a picture's own rule, which was `before`: what this says nothing about stays.
    /// Encodings that were settled by eye go where this says how good files must be.
    #[must_use]
    pub fn over(&self, before: &OutputRule) -> OutputRule {
        let (own, before) = (self.0.clone(), before.clone());
        OutputRule {
            excluded: before.excluded,
            formats: own.formats.or(before.formats),
            settled: before.settled.filter(|_| own.want.is_none()),
            want: own.want.or(before.want),
            cap: own.cap.or(before.cap),
            densities: own.densities.or(before.densities),
            keeps_credit: own.keeps_credit.or(before.keeps_credit),
            keeps_profile: own.keeps_profile.or(before.keeps_profile),
            dense_allowance: own.dense_allowance.or(before.dense_allowance),
            name_pattern: before.name_pattern,
        }
    }

    /// What it says, in words.
    pub fn words(&self) -> String {
        self.0.words()
    }
}

/// What a run made of a picture's own rule.
#[derive(Debug, Clone, PartialEq)]
pub struct SaidRule {
    /// The picture's own rule until then.
    pub before: OutputRule,
    /// The run's.
    pub rule: RunRule,
}

impl SaidRule {
    /// The picture's own rule afterwards.
    pub fn after(&self) -> OutputRule {
        self.rule.over(&self.before)
    }
}

/// What becomes of a picture's own rule when what a run made of it is taken back.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct RuleTakenBack {
    /// What later runs found before them instead, in their order, as far as they began with it.
    pub before_later: Vec<OutputRule>,
    /// The picture's own rule from now on; nothing where it stays, since somebody said another meanwhile.
    pub now: Option<OutputRule>,
}

impl RuleTakenBack {
    /// Of what the run `taken` said; `later` runs said more since, in this order, and the picture's own
    /// rule is `now`. What was said by hand between stays, and so does everything behind it.
    pub fn of(taken: &SaidRule, later: &[SaidRule], now: &OutputRule) -> Self {
        let (mut was, mut becomes) = (taken.after(), taken.before.clone());
        let mut before_later = Vec::new();
        for said in later {
            if said.before != was {
                return Self { before_later, now: None };
            }
            was = said.after();
            let next = said.rule.over(&becomes);
            before_later.push(std::mem::replace(&mut becomes, next));
        }
        Self { before_later, now: (*now == was).then_some(becomes) }
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use proptest::prelude::*;

    use super::*;
    use crate::choice::QualityTarget;
    use crate::encoding::{Encoding, Quality};
    use crate::format::Format;
    use crate::grade::Grade;
    use crate::rule::ByteCap;
    use crate::units::{Bytes, Density};

    fn lean() -> RunRule {
        let want = Some(QualityTarget::Grade(Grade::Lean));
        OutputRule { want, ..OutputRule::default() }.try_into().unwrap()
    }

    #[test]
    fn a_rule_that_cannot_be_a_runs_says_why() {
        let refused = |rule: OutputRule| RunRule::try_from(rule).unwrap_err();
        let silent = OutputRule::default();
        assert_eq!(refused(silent.clone()), RunRuleError::Silent);
        let excluded = OutputRule { excluded: Some(false), ..silent.clone() };
        assert_eq!(refused(excluded), RunRuleError::Excludes);
        let settled = OutputRule { settled: Some(BTreeMap::new()), ..silent.clone() };
        assert_eq!(refused(settled), RunRuleError::Settles);
        let named = OutputRule { name_pattern: Some("{title}".to_owned()), ..silent };
        assert_eq!(refused(named), RunRuleError::Names);
    }

    #[test]
    fn what_a_run_says_replaces_only_that_part_of_a_pictures_rule() {
        let chosen = Encoding::Webp(Quality::new(44).unwrap());
        let before = OutputRule {
            cap: Some(ByteCap::Budget),
            want: Some(QualityTarget::Lossless),
            ..OutputRule::default()
        }
        .with_trial(chosen, &[Format::Jpeg]);
        let after = lean().over(&before);
        assert_eq!(after.want, Some(QualityTarget::Grade(Grade::Lean)));
        assert_eq!((after.cap, after.formats), (before.cap, before.formats.clone()));
        assert_eq!(after.settled, None, "how good files must be was said anew");
        let formats = OutputRule { formats: Some(vec![Format::Png]), ..OutputRule::default() };
        let kept = RunRule::try_from(formats).unwrap().over(&before).settled.unwrap();
        assert_eq!(kept.get(&Format::Webp), Some(&chosen));
    }

    /// One thing that is done about a picture's rule.
    #[derive(Debug, Clone)]
    enum Act {
        Run(OutputRule),
        Said(OutputRule),
        TakeBack(usize),
    }

    fn acts() -> impl Strategy<Value = Vec<Act>> {
        let part = prop_oneof![
            prop::sample::select(vec![Grade::Fine, Grade::Good, Grade::Lean]).prop_map(|grade| {
                let want = Some(QualityTarget::Grade(grade));
                OutputRule { want, ..OutputRule::default() }
            }),
            (1u8..4).prop_map(|n| {
                let densities = Some(vec![Density::new(f64::from(n)).unwrap()]);
                OutputRule { densities, ..OutputRule::default() }
            }),
            any::<bool>().prop_map(|keeps| OutputRule {
                keeps_credit: Some(keeps),
                ..OutputRule::default()
            }),
        ];
        // No two that are said by hand are alike, so that none of them is as it was before.
        let act = prop_oneof![
            4 => part.clone().prop_map(Act::Run),
            1 => part.prop_map(Act::Said),
            3 => (0usize..8).prop_map(Act::TakeBack),
        ];
        prop::collection::vec(act, 0..14).prop_map(|mut acts| {
            for (n, act) in acts.iter_mut().enumerate() {
                if let Act::Said(rule) = act {
                    rule.cap = Some(ByteCap::At(Bytes(n as u64 + 1)));
                }
            }
            acts
        })
    }

    proptest! {
        /// Whatever order runs, rules said by hand and take-backs come in: the rule is what comes of those
        /// that were not taken back.
        #[test]
        fn any_order_of_runs_edits_and_take_backs_ends_where_it_should(acts in acts()) {
            let (mut now, mut chain) = (OutputRule::default(), Vec::<(usize, SaidRule)>::new());
            // What was done and stands.
            let mut stands: Vec<(usize, Act)> = Vec::new();
            for (n, act) in acts.into_iter().enumerate() {
                match &act {
                    Act::Run(rule) => {
                        let said = SaidRule {
                            before: now.clone(),
                            rule: rule.clone().try_into().unwrap(),
                        };
                        now = said.after();
                        chain.push((n, said));
                        stands.push((n, act));
                    }
                    Act::Said(rule) => {
                        now = rule.clone();
                        stands.push((n, act));
                    }
                    Act::TakeBack(which) => {
                        if chain.is_empty() {
                            continue;
                        }
                        let at = which % chain.len();
                        let (run, taken) = chain.remove(at);
                        let later: Vec<_> = chain[at..].iter().map(|(_, s)| s.clone()).collect();
                        let back = RuleTakenBack::of(&taken, &later, &now);
                        for ((_, said), before) in chain[at..].iter_mut().zip(back.before_later) {
                            said.before = before;
                        }
                        now = back.now.unwrap_or(now);
                        stands.retain(|(n, _)| *n != run);
                    }
                }
                let expected = stands.iter().fold(OutputRule::default(), |rule, (_, act)| match act {
                    Act::Run(own) => RunRule::try_from(own.clone()).unwrap().over(&rule),
                    Act::Said(said) => said.clone(),
                    Act::TakeBack(_) => rule,
                });
                prop_assert_eq!(&now, &expected);
            }
        }
    }
}
