//! The site that is looked after: its name, where it is, how it is measured, and what is usual in it.

use serde::{Deserialize, Serialize};

use crate::layout::LayoutWidth;
use crate::load::margin::PageBudgets;
use crate::name_pattern::Pattern;
use crate::outside::OutsideEncoder;
use crate::run::schedule::RunSchedule;
use crate::watch::Watch;

/// What holds for the whole site. A setting that an older version did not know is the usual one.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct SiteSettings {
    /// Its name.
    pub name: String,
    /// The address of its first page.
    pub address: Option<String>,
    /// The folder that holds its files, with its whole path.
    pub folder: Option<String>,
    /// Whether pictures that are put into that folder are added by themselves.
    pub watches: bool,
    /// The viewports at which its pages are measured, the narrowest first.
    pub widths: Vec<LayoutWidth>,
    /// Other hosts that its pages may reach, as in `http://pictures.example:8080`.
    pub allowed_hosts: Vec<String>,
    /// The long side that is made of a picture at most where no slot says more, in pixels.
    pub ceiling: u32,
    /// What happens to pictures that arrive.
    #[serde(alias = "treatment")]
    pub import_action: ImportAction,
    /// The pattern that file names are proposed by.
    pub name_pattern: String,
    /// The initials that stand in names where the pattern has them.
    pub initials: String,
    /// For how many days a removed picture can be brought back.
    pub keep_days: u32,
    /// When files are made by themselves.
    pub schedule: RunSchedule,
    /// When its pages are measured again by themselves.
    pub watch: Watch,
    /// What its pages may weigh and take where nothing else is said of one.
    pub page_budgets: PageBudgets,
    /// The programs that make files for it besides our own encoders.
    pub encoders: Vec<OutsideEncoder>,
}

/// What happens to a picture that arrives.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub enum ImportAction {
    /// It is listed, and nothing is made of it.
    #[default]
    List,
    /// The files for the slots are made in which its file's bytes are shown today.
    Slots,
    /// A file is made for each size of a named set.
    SizeSet {
        /// The set's name.
        name: String,
    },
}

impl Default for SiteSettings {
    fn default() -> Self {
        Self {
            name: String::new(),
            address: None,
            folder: None,
            watches: false,
            widths: LayoutWidth::USUAL.to_vec(),
            allowed_hosts: Vec::new(),
            ceiling: 2_560,
            import_action: ImportAction::List,
            name_pattern: Pattern::USUAL.to_owned(),
            initials: String::new(),
            keep_days: 90,
            schedule: RunSchedule::default(),
            watch: Watch::default(),
            page_budgets: PageBudgets::default(),
            encoders: Vec::new(),
        }
    }
}
