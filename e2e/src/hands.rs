//! Somebody at work, whose acts are counted.

use fantoccini::actions::{InputSource, KeyAction, KeyActions};

use crate::browser::Browser;

const TAB: char = '\u{E004}';

/// The key.
pub const CONTROL: &str = "\u{E009}";

/// Somebody at work: each click, each key with what is held with it, and each text that is typed and
/// confirmed is one act.
pub struct Hands<'a> {
    browser: &'a Browser,
    acts: u32,
}

impl<'a> Hands<'a> {
    /// Somebody at that browser, who did nothing yet.
    pub const fn of(browser: &'a Browser) -> Self {
        Self { browser, acts: 0 }
    }

    /// Clicks on what `css` finds.
    pub async fn click(&mut self, css: &str) {
        self.acts += 1;
        self.browser.click(css).await;
    }

    /// Presses the button, or follows the link, with that text.
    pub async fn press(&mut self, text: &str) {
        self.acts += 1;
        self.browser.labelled(text).await.click().await.unwrap();
    }

    /// Takes the part with that text of a row of choices.
    pub async fn segment(&mut self, text: &str) {
        self.acts += 1;
        self.browser.segment(text).await;
    }

    /// Presses a key, or several at once.
    pub async fn key(&mut self, keys: &str) {
        self.acts += 1;
        self.browser.find("body").await.send_keys(keys).await.unwrap();
    }

    /// Types into what has the focus.
    pub async fn text(&mut self, text: &str) {
        self.acts += 1;
        let focused = self.browser.client.active_element().await.unwrap();
        focused.send_keys(text).await.unwrap();
    }

    /// Types `text` into the field with that label, in place of what it holds.
    pub async fn field(&mut self, label: &str, text: &str) {
        self.acts += 1;
        self.browser.type_into(label, text).await;
    }

    /// Opens the list of choices with that label, and takes the one called `choice`: two acts.
    pub async fn choose(&mut self, label: &str, choice: &str) {
        self.acts += 2;
        self.browser.choose(label, choice).await;
    }

    /// Types a part of a name into the list of choices with that label and takes the first that has
    /// it: two acts.
    pub async fn search(&mut self, label: &str, text: &str) {
        self.acts += 2;
        self.browser.type_into(label, text).await;
        let found =
            format!(".ant-select-dropdown:not(.ant-select-dropdown-hidden) [title*='{text}']");
        self.browser.click(&found).await;
    }

    /// Tabs to the control called `name`: one act, however long the key is held.
    ///
    /// # Panics
    /// Where the keyboard does not come there.
    pub async fn reach(&mut self, name: &str) {
        self.acts += 1;
        let focused = "const one = document.activeElement;
            const words = one.getAttribute('aria-label') ?? one.labels?.[0]?.textContent ?? one.textContent;
            return words.trim();";
        for _ in 0..200 {
            // As a key, not as a text: some fields take texts as their value.
            let keys = KeyActions::new("keys".to_owned())
                .then(KeyAction::Down { value: TAB })
                .then(KeyAction::Up { value: TAB });
            self.browser.client.perform_actions(keys).await.unwrap();
            if self.browser.run(focused, vec![]).await == name {
                return;
            }
        }
        let page = self.browser.text().await;
        panic!("the keyboard does not come to “{name}”; the page says:\n{page}");
    }

    /// An act that is done otherwise, such as a drag.
    pub const fn did(&mut self) {
        self.acts += 1;
    }

    /// Waits; nobody counts that.
    pub async fn until(&self, what: &str, script: &str) {
        self.browser.until(what, script).await;
    }

    /// What it took, against what it may take.
    pub fn took(self, task: &str, most: u32) {
        println!("{task}: {} acts", self.acts);
        assert!(self.acts <= most, "{task} took {} acts, more than {most}", self.acts);
    }
}
