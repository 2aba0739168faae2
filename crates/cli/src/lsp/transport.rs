//! Messages over standard input and output, as the Language Server Protocol frames them: headers, an empty line, a text of JSON.

use lsp_server::{Connection, Message};
use std::io::{self, BufRead, Read, Write};
use std::thread::{self, JoinHandle};

/// The largest message, in bytes: texts of models are smaller.
const MOST_BYTES: u64 = 256 << 20;
/// The longest line of a header, in bytes.
const MOST_HEADER: u64 = 1 << 10;

/// The threads that read and write.
pub(super) struct Threads {
    reader: JoinHandle<io::Result<()>>,
    writer: JoinHandle<io::Result<()>>,
}

impl Threads {
    /// Waits for them, and says what was wrong with what came.
    pub(super) fn join(self) -> io::Result<()> {
        let ended = || io::Error::other("a thread ended");
        let read = self.reader.join().unwrap_or_else(|_| Err(ended()));
        read.and(self.writer.join().unwrap_or_else(|_| Err(ended())))
    }
}

/// A connection over standard input and output.
pub(super) fn stdio() -> (Connection, Threads) {
    let (own, other) = Connection::memory();
    let Connection { sender, receiver } = other;
    let writer = thread::spawn(move || {
        let mut out = io::stdout().lock();
        receiver.into_iter().try_for_each(|message| message.write(&mut out).and_then(|()| out.flush()))
    });
    let reader = thread::spawn(move || {
        let mut input = io::stdin().lock();
        while let Some(message) = read(&mut input)? {
            let is_exit = matches!(&message, Message::Notification(n) if n.method == "exit");
            if sender.send(message).is_err() || is_exit {
                break;
            }
        }
        Ok(())
    });
    (own, Threads { reader, writer })
}

fn invalid(why: impl Into<String>) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, why.into())
}

/// The next message; none at the end. Room is taken for what comes, not for what a header says will come.
fn read(input: &mut impl BufRead) -> io::Result<Option<Message>> {
    let mut size: Option<u64> = None;
    loop {
        let mut line = Vec::new();
        input.take(MOST_HEADER).read_until(b'\n', &mut line)?;
        if line.is_empty() {
            return Ok(None);
        }
        let line = String::from_utf8_lossy(&line);
        let Some(line) = line.strip_suffix("\r\n") else {
            return Err(invalid(format!(
                "malformed header: {:?}",
                line.chars().take(80).collect::<String>()
            )));
        };
        if line.is_empty() {
            break;
        }
        let (name, value) =
            line.split_once(':').ok_or_else(|| invalid(format!("malformed header: {line:?}")))?;
        if name.eq_ignore_ascii_case("Content-Length") {
            size = Some(value.trim().parse().map_err(|_| invalid(format!("malformed header: {line:?}")))?);
        }
    }
    let size = size.ok_or_else(|| invalid("no Content-Length"))?;
    if size > MOST_BYTES {
        return Err(invalid(format!("a message of {size} bytes, and {} MB are the most", MOST_BYTES >> 20)));
    }
    let mut text = Vec::new();
    if input.take(size).read_to_end(&mut text)? as u64 != size {
        return Err(io::ErrorKind::UnexpectedEof.into());
    }
    serde_json::from_slice(&text).map(Some).map_err(|error| invalid(format!("malformed message: {error}")))
}

#[cfg(test)]
mod tests {
    use super::read;

    fn met(text: &str) -> String {
        match read(&mut text.as_bytes()) {
            Ok(Some(_)) => "a message".to_owned(),
            Ok(None) => "the end".to_owned(),
            Err(error) => error.to_string(),
        }
    }

    #[test]
    fn what_is_no_message_is_told() {
        let body = "{\"jsonrpc\":\"2.0\",\"method\":\"exit\"}";
        assert_eq!(met(&format!("Content-Length: {}\r\n\r\n{body}", body.len())), "a message");
        assert_eq!(met(&format!("content-length:{}\r\nX: y\r\n\r\n{body}", body.len())), "a message");
        assert_eq!(met(""), "the end");
        assert_eq!(
            met("Content-Length: 99999999999999\r\n\r\n{}"),
            "a message of 99999999999999 bytes, and 256 MB are the most"
        );
        assert_eq!(met("Content-Length: 99999999\r\n\r\n{}"), "unexpected end of file");
        assert_eq!(met("Content-Length: -1\r\n\r\n{}"), "malformed header: \"Content-Length: -1\"");
        assert_eq!(met("X: y\r\n\r\n{}"), "no Content-Length");
        assert!(met(&"x".repeat(5_000)).starts_with("malformed header: \"xxx"));
        assert!(met("Content-Length: 2\r\n\r\n[]").starts_with("malformed message"));
    }
}
