//! An HTTP answer: its status, and a text in its body. Redirects are not followed.

use std::io::Read;
use std::time::Duration;
use ureq::Agent;

/// More of a body than this is not looked at.
const MOST_BODY: u64 = 1 << 20;

pub fn probe(
    url: &str,
    status: Option<u16>,
    contains: Option<&str>,
    limit: Duration,
) -> Result<String, String> {
    let config = Agent::config_builder()
        .timeout_global(Some(limit))
        .http_status_as_error(false)
        .max_redirects(0)
        .max_redirects_will_error(false)
        .proxy(None)
        .build();
    let asked = Agent::new_with_config(config).get(url).call();
    let mut answer = asked.map_err(|error| plain(&error, limit))?;
    let got = answer.status().as_u16();
    let wanted = status.map_or((200..400).contains(&got), |wanted| wanted == got);
    let mut body = Vec::new();
    // A body that breaks off still shows what came before.
    let read = answer.body_mut().as_reader().take(MOST_BODY).read_to_end(&mut body);
    let body = String::from_utf8_lossy(&body);
    if !wanted {
        let expected = status.map_or("200 to 399".to_owned(), |status| status.to_string());
        let first = body.lines().map(str::trim).find(|line| !line.is_empty()).unwrap_or_default();
        let first: String = first.chars().take(60).collect();
        let says =
            if first.is_empty() || first.starts_with('<') { String::new() } else { format!(" ({first})") };
        return Err(format!("answered {got}{says}, expected {expected}"));
    }
    match contains {
        Some(text) if !body.contains(text) => match read {
            Err(error) => Err(format!("answered {got}, and the body broke off: {error}")),
            Ok(_) => Err(format!("answered {got}, and the body does not contain {text:?}")),
        },
        Some(text) => Ok(format!("answered {got} with {text:?} in it")),
        None => Ok(format!("answered {got}")),
    }
}

fn plain(error: &ureq::Error, limit: Duration) -> String {
    match error {
        ureq::Error::Timeout(_) => format!("no answer within {} ms", limit.as_millis()),
        ureq::Error::Io(error) if error.kind() == std::io::ErrorKind::ConnectionRefused => {
            "connection refused".into()
        }
        ureq::Error::ConnectionFailed => "connection refused".into(),
        error => error.to_string(),
    }
}
