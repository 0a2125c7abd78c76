//! JSON bodies: what is wrong with one is told by the field, and one that does not arrive is not waited for.

use super::Failure;
use rocket::data::{ByteUnit, Data, FromData, Outcome, ToByteUnit};
use rocket::http::Status;
use rocket::request::Request;
use rocket::tokio::io::{AsyncReadExt, copy, sink};
use rocket::tokio::time::timeout;
use std::ops::Deref;
use std::time::Duration;

/// Largest JSON body.
const MOST: ByteUnit = ByteUnit::Mebibyte(8);
/// How much of a larger one is taken before it is refused.
const DRAINED: ByteUnit = ByteUnit::Mebibyte(64);
/// How long a JSON body may take to arrive.
const PATIENCE: Duration = Duration::from_secs(30);

/// What a request sends as JSON.
pub(super) struct Sent<T>(pub(super) T);

impl<T> Deref for Sent<T> {
    type Target = T;

    fn deref(&self) -> &T {
        &self.0
    }
}

/// What was wrong with a body, kept for the answer.
pub(super) struct Wrong(pub(super) Option<(Status, String)>);

#[rocket::async_trait]
impl<'r, T: serde::de::DeserializeOwned> FromData<'r> for Sent<T> {
    type Error = String;

    async fn from_data(request: &'r Request<'_>, data: Data<'r>) -> Outcome<'r, Self> {
        let refuse = |status: Status, sentence: String| {
            request.local_cache(|| Wrong(Some((status, sentence.clone()))));
            Outcome::Error((status, sentence))
        };
        let mut stream = data.open(DRAINED.bytes());
        let mut bytes = Vec::new();
        let arrived = timeout(PATIENCE, async {
            let most = MOST.as_u64() + 1;
            (&mut stream).take(most).read_to_end(&mut bytes).await?;
            // Who is cut off while sending may never hear why: the rest is taken and thrown away.
            if bytes.len() as u64 == most {
                copy(&mut stream, &mut sink()).await?;
            }
            std::io::Result::Ok(())
        })
        .await;
        let bytes = match arrived {
            Ok(Ok(())) if bytes.len() as u64 <= MOST.as_u64() => bytes,
            Ok(Ok(())) => {
                return refuse(
                    Status::PayloadTooLarge,
                    format!("What was sent is larger than {MOST}; send less."),
                );
            }
            Ok(Err(_)) | Err(_) => {
                return refuse(
                    Status::RequestTimeout,
                    "What was sent did not arrive whole; send it again.".into(),
                );
            }
        };
        let mut reader = serde_json::Deserializer::from_slice(&bytes);
        match serde_path_to_error::deserialize(&mut reader) {
            Ok(value) => Outcome::Success(Self(value)),
            Err(e) => {
                let path = e.path().to_string();
                let place = if path == "." {
                    String::new()
                } else {
                    format!("The field \"{path}\": ")
                };
                let inner = e.inner().to_string();
                // The place in the text says nothing to people.
                let why = inner.split(" at line ").next().unwrap_or(&inner);
                refuse(
                    Status::UnprocessableEntity,
                    format!("{place}{why}. Correct it and send it again."),
                )
            }
        }
    }
}

/// The refusal of a body, if there was one.
pub(super) fn refusal(request: &Request) -> Option<Failure> {
    let Wrong(found) = request.local_cache(|| Wrong(None));
    found
        .as_ref()
        .map(|(status, sentence)| Failure::new(*status, sentence.clone()))
}
