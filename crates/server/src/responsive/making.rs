//! Making files as rules say: those of a set, and single ones.

use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::format::Format;
use brisk_margin_core::geometry::Rect;
use brisk_margin_core::lossless;
use brisk_margin_core::metadata::Credit;
use brisk_margin_core::units::Bytes;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::variants::{Framing, NewVariant, Order};
use futures::{StreamExt, TryStreamExt};

use super::{Set, SetError, SetFile, Step};
use crate::app::{App, Change};
use crate::trying::{self, Ask, Subject};
use crate::variants::{self, MakeError};

impl Set {
    /// Makes every file that was not made yet, spread over the cores; whoever goes away ends it
    /// after the files in hand, and those that are made stay.
    ///
    /// # Errors
    /// The first file's that could not be made.
    pub async fn make(&self, app: &App, picture: &Picture) -> Result<(), SetError> {
        if self.decision.excluded.value {
            return Err(SetError::Excluded);
        }
        let missing: Vec<&SetFile> = self.files.iter().filter(|file| file.made.is_none()).collect();
        let framings: Vec<&Framing> = missing.iter().map(|file| &self.step(file).framing).collect();
        variants::references(app, picture, &framings).await?;
        futures::stream::iter(missing)
            .map(Ok)
            .try_for_each_concurrent(app.workshop.seats(), |file| self.make_one(app, picture, file))
            .await
    }

    async fn make_one(&self, app: &App, picture: &Picture, file: &SetFile) -> Result<(), SetError> {
        let Step { framing, fitting } = self.step(file);
        let of = Subject { picture, framing, credit: self.credit.as_ref() };
        let wish = FileWish {
            of,
            fitting,
            ask: file.ask,
            cap: self.decision.cap.value.bytes(self.budget),
            budget: self.budget,
            name: file.name.clone(),
        };
        Ok(make_file(app, wish).await?)
    }
}

/// A file to be made as rules say.
pub struct FileWish<'a> {
    /// Of what.
    pub of: Subject<'a>,
    /// How the picture fills it.
    pub fitting: &'a Fitting,
    /// What is asked of it.
    pub ask: Ask,
    /// The most bytes that it may have, also where the original's own are left alone.
    pub cap: Option<Bytes>,
    /// The budget that it counts under.
    pub budget: Bytes,
    /// What it is called.
    pub name: String,
}

/// Makes a file and keeps it; the original's own where that is lean already.
///
/// # Errors
/// [`MakeError`] where it cannot be made.
pub async fn make_file(app: &App, wish: FileWish<'_>) -> Result<(), MakeError> {
    let FileWish { of, fitting, ask, cap, budget, name } = wish;
    let encoding = trying::try_out(app, of, ask).await?.encoding;
    let bytes = trying::file(app, of, encoding).await?;
    let copy = lean_copy(app, of, fitting, ask.format()).await?.filter(|copy| {
        is_lean(copy.len(), bytes.len()) && cap.is_none_or(|cap| Bytes::of(copy) <= cap)
    });
    let order = Order {
        framing: of.framing.clone(),
        encoding,
        credit: of.credit.cloned(),
        is_copy: copy.is_some(),
    };
    let picture_id = of.picture.id;
    let new = NewVariant { picture_id, order, fitting, file_name: name, budget };
    app.store.add_variant(copy.unwrap_or(bytes), new).await?;
    app.tell(Change::Variants);
    Ok(())
}

/// A served file is left alone unless another is at least 3 % smaller.
const fn is_lean(served: usize, other: usize) -> bool {
    other * 100 > served * 97
}

/// The original's own file without its metadata, where a file in `format` would show exactly its
/// pixels; nothing where they are scaled, cut or changed, or where it cannot be copied.
async fn lean_copy(
    app: &App,
    of: Subject<'_>,
    fitting: &Fitting,
    format: Format,
) -> Result<Option<bytes::Bytes>, MakeError> {
    let Subject { picture, framing, credit } = of;
    let facts = &picture.facts;
    let untouched = framing.finish.is_plain()
        && fitting.output == facts.size
        && fitting.crop == Rect::whole(facts.size);
    if !untouched || facts.format.name() != format.name() {
        return Ok(None);
    }
    let xmp = credit.map(Credit::packet);
    let keeps_srgb = framing.colours.is_srgb();
    let copy = variants::work(app, picture, Bytes(0), move |original| {
        // A profile stays, which is right only where files keep it.
        let is_srgb = original.icc().is_none() && original.own_profile().is_none();
        let shows_the_same = !keeps_srgb || is_srgb;
        let copy = shows_the_same.then(|| lossless::copy(original, xmp));
        Ok(copy.and_then(Result::ok).map(bytes::Bytes::from))
    });
    copy.await
}
