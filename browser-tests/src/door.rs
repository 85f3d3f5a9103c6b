//! A door between browser and server that can be shut, as a network that fails does.

use std::net::SocketAddr;
use tokio::io::copy_bidirectional;
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::watch;

/// Passes connections on to a server while it is open.
pub struct Door {
    /// Where the browser finds it.
    pub address: SocketAddr,
    open: watch::Sender<bool>,
}

impl Door {
    /// An open door at an address, to a server.
    pub async fn at(address: SocketAddr, server: SocketAddr) -> anyhow::Result<Self> {
        let listener = TcpListener::bind(address).await?;
        let (open, state) = watch::channel(true);
        tokio::spawn(async move {
            while let Ok((browser, _)) = listener.accept().await {
                if *state.borrow() {
                    tokio::spawn(pass(browser, server, state.clone()));
                }
            }
        });
        Ok(Self { address, open })
    }

    /// Ends all connections, and refuses new ones.
    pub fn shut(&self) {
        self.open.send_replace(false);
    }

    /// Lets connections through again.
    pub fn open(&self) {
        self.open.send_replace(true);
    }
}

/// Passes on what both sides say until one of them, or the door, ends it.
async fn pass(mut browser: TcpStream, server: SocketAddr, mut state: watch::Receiver<bool>) {
    let Ok(mut server) = TcpStream::connect(server).await else { return };
    tokio::select! {
        _ = copy_bidirectional(&mut browser, &mut server) => {}
        _ = state.wait_for(|open| !open) => {}
    }
}
