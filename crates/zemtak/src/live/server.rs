//! The HTTP side: who may ask, and what they get.

use super::{Shared, told};
use serde_json::{Value, json};
use std::io::{self, Read, Write};
use std::net::Ipv4Addr;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::mpsc::{Sender, channel};
use std::thread::Builder;
use std::time::Duration;
use tiny_http::{Header, Method, Request, Response, Server};
use zemtak_build::Failure;

/// The largest request body in bytes.
const MOST_ASKED: u64 = 1 << 20;

/// How often a listener gets a sign of life, so that dead connections are noticed.
const PULSE: Duration = Duration::from_secs(10);

/// How many bytes may wait for a listener before it is dropped; a page that comes back connects again.
const MOST_WAITING: usize = 4 << 20;

/// A listener that gets builds as a stream of events. It has a thread of its own: nobody waits for a page that does not
/// read, such as one that the browser has put to sleep.
pub struct Listener {
    events: Sender<String>,
    /// The bytes of the events that wait for it.
    waiting: Arc<AtomicUsize>,
}

impl Listener {
    fn new(request: Request) -> Self {
        let (sender, events) = channel::<String>();
        let waiting = Arc::new(AtomicUsize::new(0));
        let left = Arc::clone(&waiting);
        let listen = move || {
            let mut writer = request.into_writer();
            let head = "HTTP/1.1 200 OK\r\nContent-Type: text/event-stream\r\nCache-Control: no-store\r\n\
                        Connection: close\r\n\r\n";
            let mut send = |text: &str| writer.write_all(text.as_bytes()).and_then(|()| writer.flush());
            let mut sent = send(head);
            // Once it is gone, the next event finds nobody at the other end.
            while let (Ok(()), Ok(event)) = (&sent, events.recv()) {
                sent = send(&event);
                left.fetch_sub(event.len(), Ordering::Relaxed);
            }
        };
        // Without a thread it is gone at once, and asks again.
        _ = Builder::new().spawn(listen);
        Self { events: sender, waiting }
    }

    /// Sends an event, unless the listener is gone or too far behind; returns whether it was sent.
    pub fn tell(&self, event: &str, what: &Value) -> bool {
        let event = format!("event: {event}\ndata: {what}\n\n");
        let waiting = self.waiting.fetch_add(event.len(), Ordering::Relaxed);
        waiting <= MOST_WAITING && self.events.send(event).is_ok()
    }
}

/// Serves on a free port of this machine alone, below a secret path, and returns the address.
pub fn start(shared: Arc<Shared>) -> Result<String, Failure> {
    let failed = |error: &(dyn std::error::Error + 'static)| Failure::io("serving the page", error);
    let mut secret = [0; 16];
    getrandom::fill(&mut secret).map_err(|error| failed(&error))?;
    let server = Server::http((Ipv4Addr::LOCALHOST, 0)).map_err(|error| failed(&io::Error::other(error)))?;
    let port = server.server_addr().to_ip().map_or(0, |address| address.port());
    let secret: String = secret.iter().map(|byte| format!("{byte:02x}")).collect();
    let address = format!("http://127.0.0.1:{port}/{secret}/");
    let pulse = Arc::clone(&shared);
    let pulse = move || {
        loop {
            std::thread::sleep(PULSE);
            pulse.tell("here", &json!({}));
        }
    };
    let serve = move || {
        for request in server.incoming_requests() {
            answer(request, port, &secret, &shared);
        }
    };
    Builder::new().spawn(pulse).map_err(|error| failed(&error))?;
    Builder::new().spawn(serve).map_err(|error| failed(&error))?;
    Ok(address)
}

/// Whether a request comes from this machine's own page, and not from a page on the network whose name points here.
fn is_ours(request: &Request, port: u16) -> bool {
    let is = |field: &'static str, known: &dyn Fn(&str) -> bool| {
        request.headers().iter().filter(|header| header.field.equiv(field)).all(|header| known(header.value.as_str()))
    };
    let hosts = [format!("127.0.0.1:{port}"), format!("localhost:{port}")];
    let has_host = request.headers().iter().any(|header| header.field.equiv("Host"));
    has_host
        && is("Host", &|host| hosts.iter().any(|known| known == host))
        && is("Origin", &|origin| hosts.iter().any(|known| origin.strip_prefix("http://") == Some(known)))
}

fn answer(mut request: Request, port: u16, secret: &str, shared: &Shared) {
    let path = request.url().split('?').next().unwrap_or_default().to_owned();
    let mut parts = path.split('/').skip(1);
    if parts.next() != Some(secret) || !is_ours(&request, port) {
        return respond(request, 404, "text/plain", String::new());
    }
    let parts: Vec<&str> = parts.collect();
    match (request.method(), parts.as_slice()) {
        (Method::Get, ["" | "index.html"]) => match shared.first() {
            Some(name) => send_to(request, &format!("/{secret}/{name}/")),
            None => respond(request, 503, "text/plain", "no atlas is built yet; load this page again\n".into()),
        },
        (Method::Get, ["events"]) => shared.listen(Listener::new(request)),
        (Method::Get, [name, ""]) => page(request, shared.page(name, true), "text/html; charset=utf-8"),
        (Method::Get, [name, "data"]) => page(request, shared.page(name, false), "application/json"),
        (Method::Post, [name, "rules"]) => {
            let name = (*name).to_owned();
            let mut body = String::new();
            let read = request.as_reader().take(MOST_ASKED).read_to_string(&mut body);
            let amended =
                read.map_err(|error| Failure::io("the page", &error)).and_then(|_| shared.amend(&name, &body));
            match amended {
                Ok(told) => respond(request, 200, "application/json", told.to_string()),
                Err(failure) => {
                    let told = json!({ "what": failure.to_string(), "errors": told(&failure) });
                    respond(request, 409, "application/json", told.to_string());
                }
            }
        }
        _ => respond(request, 404, "text/plain", "there is no such page\n".into()),
    }
}

fn page(request: Request, text: Option<Result<String, Failure>>, kind: &str) {
    match text {
        Some(Ok(text)) => respond(request, 200, kind, text),
        Some(Err(failure)) => respond(request, 500, "text/plain; charset=utf-8", failure.to_string()),
        None => respond(request, 404, "text/plain", "there is no such atlas\n".into()),
    }
}

fn header(field: &str, value: &str) -> Option<Header> {
    Header::from_bytes(field, value).ok()
}

fn send_to(request: Request, place: &str) {
    let mut response = Response::empty(302).boxed();
    header("Location", place).into_iter().for_each(|header| response.add_header(header));
    let _ = request.respond(response);
}

fn respond(request: Request, status: u16, kind: &str, text: String) {
    let mut response = Response::from_string(text).with_status_code(status);
    let headers = [("Content-Type", kind), ("Cache-Control", "no-store"), ("X-Content-Type-Options", "nosniff")];
    headers.iter().filter_map(|(field, value)| header(field, value)).for_each(|header| response.add_header(header));
    // A client that has left needs no answer.
    let _ = request.respond(response);
}
