//! The door before the server: it bounds how many connections there are, and drops those whose first request does not
//! arrive or that fall silent for long. Rocket 0.5 has neither, so the server itself listens on a port of its own and
//! everything comes through here.

use rocket::tokio::io::{AsyncReadExt, AsyncWriteExt, copy_bidirectional};
use rocket::tokio::net::{TcpListener, TcpStream};
use rocket::tokio::sync::Semaphore;
use rocket::tokio::time::{sleep, timeout};
use std::sync::Arc;
use std::time::Duration;

/// Connections at a time; those beyond wait in the system's own line.
const MOST: usize = 256;
/// How long the head of the first request may take.
const HEAD_PATIENCE: Duration = Duration::from_secs(15);
/// Longest head.
const LONGEST_HEAD: usize = 64 << 10;
/// How long a connection may live: work that takes longer is told by events, not waited for.
const LIFE: Duration = Duration::from_secs(12 * 3600);

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
    let _ = timeout(LIFE, copy_bidirectional(&mut caller, &mut inside)).await;
    Ok(())
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
