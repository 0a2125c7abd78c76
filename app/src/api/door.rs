//! The door before the server: it bounds how many connections there are, and drops those whose first request does not
//! arrive or that fall silent for long. Rocket 0.5 has neither, so the server itself listens on a port of its own and
//! everything comes through here.

use rocket::tokio::io::{AsyncRead, AsyncReadExt, AsyncWrite, AsyncWriteExt};
use rocket::tokio::net::{TcpListener, TcpStream};
use rocket::tokio::sync::Semaphore;
use rocket::tokio::time::{Instant, sleep, sleep_until, timeout};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

/// Connections at a time; those beyond wait in the system's own line.
const MOST: usize = 256;
/// How long the head of the first request may take.
const HEAD_PATIENCE: Duration = Duration::from_secs(15);
/// Longest head.
const LONGEST_HEAD: usize = 64 << 10;
/// How long a connection may be silent both ways. Long, since conversions are answered when they are done and nothing is heard
/// until then; a later request on an open connection that was sent by half ends here too.
const SILENCE: Duration = Duration::from_secs(12 * 3600);

/// Lets connections through to a server on another port, for as long as it is awaited.
pub(super) async fn keep(listener: TcpListener, server: u16) {
    let room = Arc::new(Semaphore::new(MOST));
    loop {
        let Ok(place) = Arc::clone(&room).acquire_owned().await else {
            return;
        };
        match listener.accept().await {
            Ok((caller, _)) => {
                rocket::tokio::spawn(async move {
                    // A connection that breaks is nobody's error but its own.
                    let _ = pass(caller, server).await;
                    drop(place);
                });
            }
            // Out of file handles, say: others may close soon.
            Err(_) => sleep(Duration::from_millis(50)).await,
        }
    }
}

async fn pass(mut caller: TcpStream, server: u16) -> std::io::Result<()> {
    let mut head = Vec::with_capacity(2048);
    let whole = timeout(HEAD_PATIENCE, read_head(&mut caller, &mut head)).await;
    match whole {
        Ok(Ok(true)) => {}
        Ok(Ok(false)) if head.is_empty() => return Ok(()),
        _ => {
            return caller
                .write_all(b"HTTP/1.1 408 Request Timeout\r\nConnection: close\r\nContent-Length: 0\r\n\r\n")
                .await;
        }
    }
    let mut inside = TcpStream::connect(("127.0.0.1", server)).await?;
    inside.set_nodelay(true)?;
    caller.set_nodelay(true)?;
    inside.write_all(&head).await?;
    exchange(caller, inside, SILENCE).await
}

/// Carries bytes both ways until both ends have closed, one breaks, or nothing came for a time.
async fn exchange(
    caller: impl AsyncRead + AsyncWrite,
    server: impl AsyncRead + AsyncWrite,
    silence: Duration,
) -> std::io::Result<()> {
    let (from_caller, to_caller) = rocket::tokio::io::split(caller);
    let (from_server, to_server) = rocket::tokio::io::split(server);
    let last = Last::new(Instant::now());
    let both = async {
        rocket::tokio::try_join!(
            carry(from_caller, to_server, &last),
            carry(from_server, to_caller, &last)
        )
    };
    let silent = async {
        while last.at().elapsed() < silence {
            sleep_until(last.at() + silence).await;
        }
    };
    rocket::tokio::select! {
        done = both => done.map(drop),
        () = silent => Ok(()),
    }
}

/// When bytes came last, either way.
struct Last(Mutex<Instant>);

impl Last {
    fn new(at: Instant) -> Self {
        Self(Mutex::new(at))
    }

    fn at(&self) -> Instant {
        *self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn is_now(&self) {
        *self.0.lock().unwrap_or_else(PoisonError::into_inner) = Instant::now();
    }
}

/// Carries bytes one way until their end, and notes when the last ones came.
async fn carry(
    mut from: impl AsyncRead + Unpin,
    mut to: impl AsyncWrite + Unpin,
    last: &Last,
) -> std::io::Result<()> {
    let mut buffer = vec![0; 16 << 10];
    loop {
        let n = from.read(&mut buffer).await?;
        if n == 0 {
            return to.shutdown().await;
        }
        to.write_all(&buffer[..n]).await?;
        last.is_now();
    }
}

/// Bytes of a body that must be there before the server may see the request.
fn body_start(head: &[u8]) -> usize {
    const LOOKED_AT: usize = 16;
    let text = String::from_utf8_lossy(head);
    let value = |name: &str| {
        text.lines().find_map(|line| {
            let (key, value) = line.split_once(':')?;
            key.trim().eq_ignore_ascii_case(name).then(|| value.trim())
        })
    };
    let length = value("content-length").and_then(|v| v.parse::<usize>().ok());
    let chunked = value("transfer-encoding").is_some();
    length
        .unwrap_or(0)
        .min(LOOKED_AT)
        .max(if chunked { 5 } else { 0 })
}

/// Reads until the end of a request's head and the first bytes of its body; false if the caller went away before it.
async fn read_head(caller: &mut TcpStream, head: &mut Vec<u8>) -> std::io::Result<bool> {
    let mut buffer = [0; 2048];
    loop {
        let n = caller.read(&mut buffer).await?;
        if n == 0 || head.len() > LONGEST_HEAD {
            return Ok(false);
        }
        head.extend_from_slice(&buffer[..n]);
        if let Some(end) = head.windows(4).position(|w| w == b"\r\n\r\n") {
            // The server looks at the first bytes of a body and waits for them without end.
            if head.len() >= end + 4 + body_start(&head[..end]) {
                return Ok(true);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rocket::tokio::io::duplex;

    /// Whoever falls silent in the middle of a later request is let go.
    #[rocket::async_test]
    async fn silence_ends_a_connection() {
        let (mut client, caller) = duplex(64);
        let (server, mut inside) = duplex(64);
        let door = rocket::tokio::spawn(exchange(caller, server, Duration::from_millis(200)));
        client.write_all(b"GET /half").await.unwrap();
        door.await.unwrap().unwrap();
        let mut heard = Vec::new();
        inside.read_to_end(&mut heard).await.unwrap();
        assert_eq!(heard, b"GET /half");
        assert_eq!(client.read(&mut [0; 8]).await.unwrap(), 0);
    }

    /// Bytes that pass begin the silence anew.
    #[rocket::async_test]
    async fn bytes_are_signs_of_life() {
        let (mut client, caller) = duplex(64);
        let (mut to, _inside) = duplex(64);
        let begin = Instant::now();
        let last = Last::new(begin - Duration::from_secs(1));
        client.write_all(b"ask").await.unwrap();
        drop(client);
        carry(caller, &mut to, &last).await.unwrap();
        assert!(last.at() >= begin);
    }

    /// A caller that has said all still gets its whole answer.
    #[rocket::async_test]
    async fn half_closed_connections_are_answered() {
        let (mut client, caller) = duplex(64);
        let (server, mut inside) = duplex(64);
        let door = rocket::tokio::spawn(exchange(caller, server, Duration::from_secs(600)));
        client.write_all(b"all of it").await.unwrap();
        client.shutdown().await.unwrap();
        let mut heard = Vec::new();
        inside.read_to_end(&mut heard).await.unwrap();
        assert_eq!(heard, b"all of it");
        inside.write_all(b"so be it").await.unwrap();
        drop(inside);
        let mut heard = Vec::new();
        client.read_to_end(&mut heard).await.unwrap();
        assert_eq!(heard, b"so be it");
        door.await.unwrap().unwrap();
    }
}
