//! An archive as a stream of pieces: what goes from the process that reads it to the one that takes
//! its files.

use std::fs::File;
use std::io::{self, BufReader, Read, Write};

use zip::result::ZipError;

/// Most bytes of a piece.
const LONGEST: usize = 1 << 16;

/// A piece of an archive.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Piece {
    /// A file begins, called so.
    File(String),
    /// The next bytes of the file that began last.
    Bytes(Vec<u8>),
    /// The archive cannot be read further, for this reason.
    Unreadable(String),
    /// That was all.
    End,
}

impl Piece {
    const fn tag(&self) -> u8 {
        match self {
            Self::File(_) => b'f',
            Self::Bytes(_) => b'b',
            Self::Unreadable(_) => b'u',
            Self::End => b'e',
        }
    }

    /// Writes it: a tag, the number of bytes (little endian), and the bytes.
    pub(crate) fn write(&self, to: &mut impl Write) -> io::Result<()> {
        let bytes = match self {
            Self::File(text) | Self::Unreadable(text) => text.as_bytes(),
            Self::Bytes(bytes) => bytes,
            Self::End => &[],
        };
        let length = u32::try_from(bytes.len()).ok().filter(|_| bytes.len() <= LONGEST);
        let length = length.ok_or_else(|| io::Error::other("a piece that is too long"))?;
        to.write_all(&[self.tag()])?;
        to.write_all(&length.to_le_bytes())?;
        to.write_all(bytes)
    }

    /// The next one. Whoever wrote it is not trusted: what is too long or no piece is an error.
    pub(crate) fn read(from: &mut impl Read) -> io::Result<Self> {
        let mut start = [0; 5];
        from.read_exact(&mut start)?;
        let [tag, length @ ..] = start;
        let length = u32::from_le_bytes(length) as usize;
        if length > LONGEST {
            return Err(io::Error::other("a piece that is too long"));
        }
        let mut bytes = vec![0; length];
        from.read_exact(&mut bytes)?;
        let text = |bytes| String::from_utf8(bytes).map_err(io::Error::other);
        match tag {
            b'f' => Ok(Self::File(text(bytes)?)),
            b'b' => Ok(Self::Bytes(bytes)),
            b'u' => Ok(Self::Unreadable(text(bytes)?)),
            b'e' => Ok(Self::End),
            _ => Err(io::Error::other("no piece of an archive")),
        }
    }
}

/// Reads the zip archive in `archive`, and writes its files to `to`, piece by piece. What is wrong
/// with the archive becomes the last piece.
///
/// # Errors
/// Where `to` takes no more.
pub fn send_pieces(archive: File, to: &mut impl Write) -> io::Result<()> {
    let last = match send_files(archive, to) {
        Ok(()) => Piece::End,
        Err(Broken::Archive(error)) => Piece::Unreadable(error.to_string()),
        Err(Broken::Pipe(error)) => return Err(error),
    };
    last.write(to)?;
    to.flush()
}

/// Why sending ended early.
enum Broken {
    /// The archive is at fault.
    Archive(ZipError),
    /// Nobody takes any more.
    Pipe(io::Error),
}

impl From<ZipError> for Broken {
    fn from(error: ZipError) -> Self {
        Self::Archive(error)
    }
}

fn send_files(archive: File, to: &mut impl Write) -> Result<(), Broken> {
    let mut archive = zip::ZipArchive::new(BufReader::new(archive))?;
    for n in 0..archive.len() {
        let mut entry = archive.by_index(n)?;
        if entry.is_dir() {
            continue;
        }
        let name = entry.name()?.into_owned();
        Piece::File(name).write(to).map_err(Broken::Pipe)?;
        loop {
            let mut bytes = vec![0; LONGEST];
            let read = entry.read(&mut bytes).map_err(|error| Broken::Archive(error.into()))?;
            if read == 0 {
                break;
            }
            bytes.truncate(read);
            Piece::Bytes(bytes).write(to).map_err(Broken::Pipe)?;
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pieces_come_as_they_went_and_nothing_else_is_one() {
        let pieces = [
            Piece::File("a/ü.png".to_owned()),
            Piece::Bytes(vec![0; LONGEST]),
            Piece::Unreadable("it breaks off".to_owned()),
            Piece::End,
        ];
        let mut pipe = Vec::new();
        pieces.iter().for_each(|piece| piece.write(&mut pipe).unwrap());
        let mut from = pipe.as_slice();
        for piece in pieces {
            assert_eq!(Piece::read(&mut from).unwrap(), piece);
        }
        assert!(Piece::Bytes(vec![0; LONGEST + 1]).write(&mut Vec::new()).is_err());
        for rubbish in
            [&b"x\0\0\0\0"[..], b"b\xff\xff\xff\xff", b"f\x01\0\0\0\xff", b"b\x02\0\0\0b"]
        {
            assert!(Piece::read(&mut &rubbish[..]).is_err(), "{rubbish:?}");
        }
    }
}
