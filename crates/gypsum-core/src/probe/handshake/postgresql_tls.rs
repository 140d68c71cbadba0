//! PostgreSQL over TLS (its manual, 55.2.11): the certificate, and what a login is asked for then.

use super::postgresql::{NAME, Postgresql};
use super::{Conversation, Foreign, Received, Step, with_tls, without_tls};

/// The length of this message, and the number that asks for TLS.
const ASK: [u8; 8] = [0, 0, 0, 8, 0x04, 0xd2, 0x16, 0x2f];

/// A conversation with such a server.
#[derive(Default)]
pub(super) struct PostgresqlTls {
    has_asked: bool,
    login: Postgresql,
}

impl Conversation for PostgresqlTls {
    fn step(&mut self, received: &mut Received) -> Result<Step, Foreign> {
        if let Some(shown) = received.certificate.clone() {
            return Ok(match self.login.step(received)? {
                Step::End(answers) => Step::End(std::iter::once(with_tls(&shown)).chain(answers).collect()),
                step => step,
            });
        }
        if !self.has_asked {
            self.has_asked = true;
            return Ok(Step::Say(ASK.to_vec()));
        }
        let Some(answer) = received.take(1) else { return Ok(Step::Wait) };
        match answer.as_slice() {
            b"S" => Ok(Step::Secure),
            b"N" => Ok(Step::End(vec![without_tls()])),
            _ => Err(Foreign(NAME)),
        }
    }
}
