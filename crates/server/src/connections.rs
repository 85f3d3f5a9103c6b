//! Accepts connections of browsers and other programs, which may come from anywhere on a network.
//! Timeouts keep a silent connection from holding its place.

use crate::error::ApiError;
use axum::Router;
use axum::extract::{ConnectInfo, Request};
use hyper::body::Incoming;
use hyper::server::conn::http1;
use hyper_util::rt::{TokioIo, TokioTimer};
use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::Semaphore;
use tower::ServiceExt;

/// Timeout for the head of a request, and for the next request of a connection.
pub const HEAD: Duration = Duration::from_secs(30);
/// Longest pause within a request's body.
pub const BODY: Duration = Duration::from_secs(60);
/// Connections at once: a browser has six, and holds one of them for events.
const MOST: usize = 512;
/// Pause after a connection could not be taken, as when the process has too many files open.
const PAUSE: Duration = Duration::from_millis(100);

/// Answers requests until the task is dropped.
///
/// # Errors
/// None so far: a connection that fails ends alone.
pub async fn serve(listener: TcpListener, router: Router) -> Result<(), ApiError> {
    let places = Arc::new(Semaphore::new(MOST));
    loop {
        let place = places.clone().acquire_owned().await.expect("the places are never closed");
        let (stream, peer) = match listener.accept().await {
            Ok(taken) => taken,
            Err(error) => {
                tracing::warn!("a connection could not be taken: {error}");
                tokio::time::sleep(PAUSE).await;
                continue;
            }
        };
        let router = router.clone();
        tokio::spawn(async move {
            answer(stream, peer, router).await;
            drop(place);
        });
    }
}

async fn answer(stream: TcpStream, peer: SocketAddr, router: Router) {
    // Answers are small and wait for nothing.
    let _ = stream.set_nodelay(true);
    let service = hyper::service::service_fn(move |mut request: Request<Incoming>| {
        request.extensions_mut().insert(ConnectInfo(peer));
        router.clone().oneshot(request)
    });
    let mut connection = http1::Builder::new();
    connection.timer(TokioTimer::new()).header_read_timeout(HEAD);
    // A browser that goes away in the middle of an answer is no error.
    let _ = connection.serve_connection(TokioIo::new(stream), service).await;
}

#[cfg(test)]
mod tests {
    use super::*;
    use axum::routing::post;
    use tokio::io::{AsyncReadExt, AsyncWriteExt};
    use tokio::time::Instant;
    use tower_http::timeout::RequestBodyTimeoutLayer;

    /// With time paused, tokio advances the clock as soon as all tasks wait.
    #[tokio::test(start_paused = true)]
    async fn whoever_says_nothing_more_loses_the_place() {
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let address = listener.local_addr().unwrap();
        let echo = post(async |body: String| body);
        let router = Router::new().route("/", echo).layer(RequestBodyTimeoutLayer::new(BODY));
        tokio::spawn(serve(listener, router));
        let whole = "POST / HTTP/1.1\r\nhost: mast\r\ncontent-length: 4\r\n\r\nmast";
        for (said, wait) in [
            ("", HEAD),
            ("POST / HTTP/1.1\r\nhost: m", HEAD),
            (whole, HEAD),
            (&whole[..whole.len() - 2], BODY),
        ] {
            let mut stream = TcpStream::connect(address).await.unwrap();
            let begun = Instant::now();
            stream.write_all(said.as_bytes()).await.unwrap();
            let mut heard = vec![];
            stream.read_to_end(&mut heard).await.unwrap();
            let heard = String::from_utf8_lossy(&heard);
            let waited = begun.elapsed();
            assert!(waited >= wait && waited < 2 * wait, "{said:?} {waited:?}");
            assert_eq!(heard.ends_with("mast"), said == whole, "{heard}");
        }
    }
}
