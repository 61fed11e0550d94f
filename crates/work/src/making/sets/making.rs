//! Making the files of a set.

use std::sync::Arc;

use brisk_margin_core::render_spec::RenderSpec;
use brisk_margin_imaging::reference::Reference;
use brisk_margin_store::pictures::Picture;
use futures::{StreamExt, TryStreamExt};

use super::{ResponsiveSet, SetError, SetFile};
use crate::making::Maker;
use crate::making::files::{self, FileWish};
use crate::making::references::references;

impl ResponsiveSet {
    /// Makes every file that was not made yet, spread over the cores; whoever goes away ends it
    /// after the files in hand, and those that are made stay. The picture is decoded once, and what
    /// files are compared with is worked out once for each width.
    ///
    /// # Errors
    /// The first file's that could not be made.
    pub async fn make(&self, maker: &Maker, picture: &Picture) -> Result<(), SetError> {
        if self.decision.excluded.value {
            return Err(SetError::Excluded);
        }
        let missing: Vec<&SetFile> = self.files.iter().filter(|file| file.made.is_none()).collect();
        let specs: Vec<&RenderSpec> = missing.iter().map(|file| &self.width(file).spec).collect();
        let is_moving = missing.first().is_some_and(|file| self.subject(picture, file).is_moving());
        let pixels: Vec<Option<Arc<Reference>>> = match is_moving {
            true => vec![None; missing.len()],
            false => references(maker, picture, &specs).await?.into_iter().map(Some).collect(),
        };
        futures::stream::iter(missing.into_iter().zip(pixels))
            .map(Ok)
            .try_for_each_concurrent(maker.pool.workers(), |(file, pixels)| async move {
                self.make_one(maker, picture, file, pixels.as_ref()).await
            })
            .await
    }

    async fn make_one(
        &self,
        maker: &Maker,
        picture: &Picture,
        file: &SetFile,
        reference: Option<&Arc<Reference>>,
    ) -> Result<(), SetError> {
        let width = self.width(file);
        let wish = FileWish {
            picture,
            spec: &width.spec,
            fitting: &width.fitting,
            reference,
            request: file.request,
            credit: self.credit.as_ref(),
            cap: self.decision.cap.value.bytes(self.budget),
            budget: self.budget,
            name: &file.wish,
        };
        files::make(maker, wish).await?;
        Ok(())
    }
}
