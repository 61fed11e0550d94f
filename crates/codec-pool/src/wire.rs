//! What goes through the pipes: a header in JSON, led by its length, and the bytes.

use std::io::{self, Read, Write};

use brisk_margin_core::units::Bytes;
use brisk_margin_imaging::job::{Answer, Job, Reply};
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};

use crate::confinement::Confinement;

/// Headers are short; a longer one is rubbish.
const LONGEST_HEADER: usize = 64 << 20;

/// What a process may hold and take in all while it does a job.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Allowance {
    /// Bytes of memory.
    pub memory: u64,
    /// Seconds of processor time since it was started.
    pub seconds: u64,
}

#[derive(Serialize)]
struct JobHeader<'a> {
    job: &'a Job,
    allowance: Allowance,
    parts: Vec<usize>,
}

#[derive(Deserialize)]
struct OwnedJobHeader {
    job: Job,
    allowance: Allowance,
    parts: Vec<usize>,
}

#[derive(Serialize, Deserialize)]
struct AnswerHeader {
    reply: Reply,
    length: usize,
}

/// What a process says first, before it tells how it is confined.
const GREETING: [u8; 4] = *b"here";

pub(crate) fn send_greeting(to: &mut impl Write, confinement: Confinement) -> io::Result<()> {
    to.write_all(&GREETING)?;
    to.write_all(&[confinement.to_byte()])?;
    to.flush()
}

pub(crate) fn read_greeting(from: &mut impl Read) -> io::Result<Confinement> {
    let mut greeting = [0; 5];
    from.read_exact(&mut greeting)?;
    match greeting.split_last() {
        Some((&refused, words)) if words == GREETING => Ok(Confinement::from_byte(refused)),
        _ => Err(io::Error::other("it is no codec process")),
    }
}

pub(crate) fn send_job(
    to: &mut impl Write,
    job: &Job,
    allowance: Allowance,
    parts: &[&[u8]],
) -> io::Result<()> {
    let lengths = parts.iter().map(|part| part.len()).collect();
    send_header(to, &JobHeader { job, allowance, parts: lengths })?;
    parts.iter().try_for_each(|part| to.write_all(part))
}

/// The next job and its parts, which are read once `allow` has set what they may take; nothing where
/// no more come.
pub(crate) fn read_job(
    from: &mut impl Read,
    allow: impl FnOnce(Allowance),
) -> io::Result<Option<(Job, Vec<Vec<u8>>)>> {
    let header: OwnedJobHeader = match read_header(from) {
        Err(error) if error.kind() == io::ErrorKind::UnexpectedEof => return Ok(None),
        header => header?,
    };
    allow(header.allowance);
    let parts = header.parts.iter().map(|&length| read_bytes(from, length));
    Ok(Some((header.job, parts.collect::<io::Result<_>>()?)))
}

pub(crate) fn send_answer(to: &mut impl Write, answer: &Answer) -> io::Result<()> {
    let header = AnswerHeader { reply: answer.reply.clone(), length: answer.bytes.len() };
    send_header(to, &header)?;
    to.write_all(&answer.bytes)?;
    to.flush()
}

/// The answer, whose bytes are `most` at most: more than it may hold no honest process sends.
pub(crate) fn read_answer(from: &mut impl Read, most: Bytes) -> io::Result<Answer> {
    let AnswerHeader { reply, length } = read_header(from)?;
    if length as u64 > most.get() {
        return Err(io::Error::other("an answer that is longer than what the process may hold"));
    }
    Ok(Answer { reply, bytes: read_bytes(from, length)? })
}

fn send_header(to: &mut impl Write, header: &impl Serialize) -> io::Result<()> {
    let text = serde_json::to_vec(header)?;
    let length = u32::try_from(text.len()).map_err(io::Error::other)?;
    to.write_all(&length.to_le_bytes())?;
    to.write_all(&text)
}

fn read_header<T: DeserializeOwned>(from: &mut impl Read) -> io::Result<T> {
    let mut length = [0; 4];
    from.read_exact(&mut length)?;
    let length = u32::from_le_bytes(length) as usize;
    if length > LONGEST_HEADER {
        return Err(io::Error::other("a header that is too long"));
    }
    Ok(serde_json::from_slice(&read_bytes(from, length)?)?)
}

/// `length` bytes. Room is made as they come: a wrong length must not take the memory.
fn read_bytes(from: &mut impl Read, length: usize) -> io::Result<Vec<u8>> {
    const AT_ONCE: usize = 256 << 20;
    let mut bytes = Vec::with_capacity(length.min(AT_ONCE));
    let read = from.take(length as u64).read_to_end(&mut bytes)?;
    if read < length { Err(io::ErrorKind::UnexpectedEof.into()) } else { Ok(bytes) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn jobs_and_answers_come_as_they_went() {
        let mut pipe = Vec::new();
        let sent = Allowance { memory: 7, seconds: 3 };
        send_job(&mut pipe, &Job::Open, sent, &[b"one", b"", b"three"]).unwrap();
        let mut from = pipe.as_slice();
        let mut allowed = None;
        let allow = |allowance| allowed = Some(allowance);
        let (job, parts) = read_job(&mut from, allow).unwrap().unwrap();
        assert_eq!(allowed, Some(sent));
        assert_eq!((job, parts), (Job::Open, vec![b"one".to_vec(), vec![], b"three".to_vec()]));
        assert!(read_job(&mut from, |_| ()).unwrap().is_none());

        let answer = Answer { reply: Reply::File, bytes: vec![7; 300] };
        let mut pipe = Vec::new();
        send_answer(&mut pipe, &answer).unwrap();
        let most = Bytes(300);
        assert_eq!(read_answer(&mut pipe.as_slice(), most).unwrap(), answer);
        assert!(read_answer(&mut &pipe[..pipe.len() - 1], most).is_err());
        assert!(read_answer(&mut pipe.as_slice(), Bytes(299)).is_err(), "it is not even begun");
    }
}
