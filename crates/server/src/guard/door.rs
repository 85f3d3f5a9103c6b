//! The names and the password by which the guard judges requests.

use super::password::Password;
use std::net::SocketAddr;

/// The names and the password by which the guard judges requests.
#[derive(Debug)]
pub struct Guard {
    port: u16,
    address: String,
    pub(super) password: Option<Password>,
}

impl Guard {
    /// For a server on this address.
    pub fn new(listen: SocketAddr, password: Option<String>) -> Self {
        let password = password.as_deref().map(Password::new);
        Self { port: listen.port(), address: listen.ip().to_string(), password }
    }

    /// Whether a Host header is one of the server's own names, in any letter case.
    pub fn knows(&self, host: &str) -> bool {
        // With a password the name may be the machine's own on the network.
        if self.password.is_some() {
            return true;
        }
        let name = match host.rsplit_once(':') {
            Some((name, port)) if port.parse() == Ok(self.port) => name,
            _ => host,
        };
        let names = ["localhost", "127.0.0.1", "[::1]", &self.address];
        names.iter().any(|known| name.eq_ignore_ascii_case(known))
    }
}
