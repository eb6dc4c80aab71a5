//! A tab of headless Chromium, driven through its debugging socket.

use serde_json::{Value, json};
use std::io::{Read, Write};
use std::net::TcpStream;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use tungstenite::{Message, WebSocket};

/// How long a page may take for anything.
const PATIENCE: Duration = Duration::from_secs(60);

pub struct Tab {
    chromium: Child,
    socket: WebSocket<TcpStream>,
    next: u64,
    _profile: tempfile::TempDir,
}

impl Tab {
    /// Opens a page of `zemtak view`, and waits until it is there.
    pub fn open(address: &str) -> Self {
        Self::open_until(
            address,
            "document.readyState === 'complete' && typeof sheet !== 'undefined' && sheet !== null",
        )
    }

    /// Opens an address, and waits until an expression holds in its page.
    pub fn open_until(address: &str, holds: &str) -> Self {
        let profile = tempfile::tempdir().unwrap();
        let name = std::env::var("CHROMIUM").unwrap_or_else(|_| "chromium".into());
        let chromium = Command::new(&name)
            .args(["--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run"])
            .args(["--disable-background-networking", "--disable-component-update", "--disable-sync"])
            .args(["--remote-debugging-port=0", "--window-size=1280,800"])
            .arg(format!("--user-data-dir={}", profile.path().display()))
            .arg("about:blank")
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap_or_else(|error| panic!("{name}: {error}"));
        let port = wait_for("Chromium's port", || {
            let told = std::fs::read_to_string(profile.path().join("DevToolsActivePort")).ok()?;
            told.lines().next()?.parse::<u16>().ok()
        });
        let target: Value = serde_json::from_str(&ask(port, "PUT", "/json/new?about:blank")).unwrap();
        let url = target["webSocketDebuggerUrl"].as_str().unwrap();
        let stream = TcpStream::connect(("127.0.0.1", port)).unwrap();
        stream.set_read_timeout(Some(PATIENCE)).unwrap();
        let (socket, _) = tungstenite::client(url, stream).unwrap();
        let mut tab = Self { chromium, socket, next: 0, _profile: profile };
        tab.call("Page.enable", &json!({}));
        let size = json!({ "width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": false });
        tab.call("Emulation.setDeviceMetricsOverride", &size);
        tab.call("Page.navigate", &json!({ "url": address }));
        // What is navigated from answers too, for a while.
        tab.wait(&format!("location.href.startsWith({}) && document.readyState === 'complete'", json!(address)));
        tab.wait(holds);
        tab
    }

    /// What the protocol answers.
    pub fn call(&mut self, method: &str, parameters: &Value) -> Value {
        self.next += 1;
        let id = self.next;
        self.socket
            .send(Message::text(json!({ "id": id, "method": method, "params": parameters }).to_string()))
            .unwrap();
        loop {
            let Message::Text(text) = self.socket.read().unwrap() else { continue };
            let answer: Value = serde_json::from_str(&text).unwrap();
            if answer["id"] == id {
                assert!(answer["error"].is_null(), "{method}: {answer}");
                return answer["result"].clone();
            }
        }
    }

    /// The value of an expression in the page, awaited.
    pub fn eval(&mut self, expression: &str) -> Value {
        let asked = json!({ "expression": expression, "awaitPromise": true, "returnByValue": true });
        let answer = self.call("Runtime.evaluate", &asked);
        assert!(answer["exceptionDetails"].is_null(), "{}", answer["exceptionDetails"]);
        answer["result"]["value"].clone()
    }

    /// Waits until an expression holds in the page.
    pub fn wait(&mut self, expression: &str) {
        let until = Instant::now() + PATIENCE;
        while self.eval(&format!("!!({expression})")) != true {
            assert!(Instant::now() < until, "never came true: {expression}");
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    /// Clicks on the middle of an element, as a mouse does.
    pub fn click(&mut self, selector: &str) {
        let middle = format!(
            "(() => {{ const e = document.querySelector({}); e.scrollIntoView({{ block: 'nearest' }}); \
             const b = e.getBoundingClientRect(); return [b.x + b.width / 2, b.y + b.height / 2]; }})()",
            json!(selector)
        );
        let [x, y] = serde_json::from_value::<[f64; 2]>(self.eval(&middle)).unwrap();
        self.click_at(x, y);
    }

    /// Clicks on a place of the window.
    pub fn click_at(&mut self, x: f64, y: f64) {
        for (kind, count) in [("mouseMoved", 0), ("mousePressed", 1), ("mouseReleased", 1)] {
            let event = json!({ "type": kind, "x": x, "y": y, "button": "left", "clickCount": count });
            self.call("Input.dispatchMouseEvent", &event);
        }
    }

    /// Presses a key by its name.
    pub fn press(&mut self, key: &str) {
        let text = if key.chars().count() == 1 { key } else { "" };
        let enter = if key == "Enter" { "\r" } else { text };
        for kind in ["keyDown", "keyUp"] {
            let code = match key {
                "Tab" => 9,
                "Enter" => 13,
                _ => 0,
            };
            let mut event = json!({ "type": kind, "key": key, "windowsVirtualKeyCode": code });
            if kind == "keyDown" && !enter.is_empty() {
                event["text"] = enter.into();
            }
            self.call("Input.dispatchKeyEvent", &event);
        }
    }

    /// The violations that an accessibility checker finds, one a line: the script of axe-core is named by `AXE`.
    pub fn violations(&mut self) -> String {
        let path = std::env::var("AXE").unwrap_or_else(|_| panic!("AXE is to name the script of axe-core"));
        let script = std::fs::read_to_string(path).unwrap();
        self.eval(&format!("(() => {{ {script} }})(); 1"));
        let found = "axe.run().then(told => told.violations.map(v => v.id + ': ' + v.nodes.map(n => n.html).join(' | ')).join('\\n'))";
        self.eval(found).as_str().unwrap().to_owned()
    }
}

impl Drop for Tab {
    fn drop(&mut self) {
        let _ = self.chromium.kill();
        let _ = self.chromium.wait();
    }
}

/// What comes of trying until it does.
pub fn wait_for<T>(what: &str, mut attempt: impl FnMut() -> Option<T>) -> T {
    let until = Instant::now() + PATIENCE;
    loop {
        if let Some(found) = attempt() {
            return found;
        }
        assert!(Instant::now() < until, "waited in vain: {what}");
        std::thread::sleep(Duration::from_millis(20));
    }
}

/// The body of an HTTP answer of this machine.
pub fn ask(port: u16, method: &str, path: &str) -> String {
    let mut stream = TcpStream::connect(("127.0.0.1", port)).unwrap();
    write!(stream, "{method} {path} HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nConnection: close\r\n\r\n").unwrap();
    let mut answer = Vec::new();
    stream.set_read_timeout(Some(Duration::from_secs(5))).unwrap();
    let mut piece = [0; 4096];
    // Until it ends, or all that it promised is there: not every server closes.
    loop {
        let n = stream.read(&mut piece).unwrap_or(0);
        answer.extend_from_slice(&piece[..n]);
        let text = String::from_utf8_lossy(&answer).into_owned();
        let Some((head, body)) = text.split_once("\r\n\r\n") else {
            assert!(n > 0, "no whole answer to {method} {path}: {text:?}");
            continue;
        };
        let length =
            head.lines().find_map(|line| line.to_lowercase().strip_prefix("content-length:")?.trim().parse().ok());
        if n == 0 || length.is_some_and(|length: usize| body.len() >= length) {
            return body.to_owned();
        }
    }
}
