//! Credit: who made a picture, under which terms, and where it is from, as a file carries it.

use serde::{Deserialize, Serialize};

use crate::describe::Description;
use crate::markup::escaped;

/// Who made a picture, under which terms, and where it is from: what stays in a file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Credit {
    creator: String,
    licence: String,
    source: String,
}

impl Credit {
    /// The credit in a description; nothing where that is silent.
    pub fn of(description: &Description) -> Option<Self> {
        let Description { creator, licence, source, .. } = description;
        let [creator, licence, source] = [creator, licence, source].map(|s| s.trim().to_owned());
        let silent = creator.is_empty() && licence.is_empty() && source.is_empty();
        (!silent).then_some(Self { creator, licence, source })
    }

    /// In a line: who, under which terms, where from.
    pub fn line(&self) -> String {
        let parts = [&self.creator, &self.licence, &self.source];
        let parts: Vec<&str> =
            parts.into_iter().map(String::as_str).filter(|part| !part.is_empty()).collect();
        parts.join(", ")
    }

    /// As an XMP packet: Dublin Core's `creator` and `rights`, and the statements of the rights
    /// schema (XMP part 1; IPTC Photo Metadata 2023).
    pub fn packet(&self) -> Vec<u8> {
        let [creator, licence, source] =
            [&self.creator, &self.licence, &self.source].map(|s| escaped(s));
        let mut parts = String::new();
        if !creator.is_empty() {
            parts +=
                &format!("<dc:creator><rdf:Seq><rdf:li>{creator}</rdf:li></rdf:Seq></dc:creator>");
        }
        if !licence.is_empty() {
            let words =
                format!("<rdf:Alt><rdf:li xml:lang=\"x-default\">{licence}</rdf:li></rdf:Alt>");
            parts += &format!("<dc:rights>{words}</dc:rights>");
            parts += &format!("<xmpRights:UsageTerms>{words}</xmpRights:UsageTerms>");
        }
        if !source.is_empty() {
            parts += &format!("<xmpRights:WebStatement>{source}</xmpRights:WebStatement>");
        }
        let packet = format!(
            "<?xpacket begin=\"\u{FEFF}\" id=\"W5M0MpCehiHzreSzNTczkc9d\"?>\
             <x:xmpmeta xmlns:x=\"adobe:ns:meta/\">\
             <rdf:RDF xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\">\
             <rdf:Description rdf:about=\"\" xmlns:dc=\"http://purl.org/dc/elements/1.1/\" \
             xmlns:xmpRights=\"http://ns.adobe.com/xap/1.0/rights/\">{parts}</rdf:Description>\
             </rdf:RDF></x:xmpmeta><?xpacket end=\"r\"?>"
        );
        packet.into_bytes()
    }
}
