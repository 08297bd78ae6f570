//! Logs what happens in a game, frame by frame, for Voskar. Copy this file; it needs nothing but the standard library.
//!
//!     let mut log = Recorder::new("play.jsonl", 60.0, "");
//!     // in every frame, when all hits have been dealt and before anything that died is removed:
//!     log.pose("keeper", "keeper", x, y).with("facing", 1).with("clip", "run").with("tick", 12).with("health", 3);
//!     log.claim("hit").with("attacker", "hornet-1").with("target", "keeper").with("damage", 1);
//!     log.end_frame();
//!
//! A path such as "tcp://127.0.0.1:7777" sends the lines to `voskar live --listen 127.0.0.1:7777`. What is logged is
//! written after `flush_seconds`, 0 for every frame.
//!
//! Nothing here panics or returns an error into the game, or keeps it waiting: a recorder that cannot write falls silent,
//! and says why in `problem`; one whose reader is too slow loses frames, and counts them in `lost`.
#![allow(dead_code)]
use std::fs::File;
use std::io::{ErrorKind, Write};
use std::net::TcpStream;
use std::time::{Duration, Instant};

enum Sink { File(File), Tcp(TcpStream), None }
/// Bytes that may wait for a slow reader before frames are lost.
const MOST_WAITING: usize = 4_000_000;

pub fn quoted(text: &str) -> String {
    let mut out = String::from("\"");
    for one in text.chars() {
        match one {
            '"' | '\\' => { out.push('\\'); out.push(one); }
            one if (one as u32) < 0x20 => out.push_str(&format!("\\u{:04x}", one as u32)),
            one => out.push(one),
        }
    }
    out.push('"');
    out
}

/// A value of a field, as JSON.
pub trait Value { fn json(&self) -> String; }
impl Value for &str { fn json(&self) -> String { quoted(self) } }
impl Value for String { fn json(&self) -> String { quoted(self) } }
impl Value for bool { fn json(&self) -> String { self.to_string() } }
impl Value for i32 { fn json(&self) -> String { self.to_string() } }
impl Value for f64 { fn json(&self) -> String { if self.is_finite() { self.to_string() } else { "null".into() } } }
/// Tags, or the two ids of a clash.
impl Value for &[&str] {
    fn json(&self) -> String { format!("[{}]", self.iter().map(|one| quoted(one)).collect::<Vec<_>>().join(",")) }
}
/// Aim or push.
impl Value for (f64, f64) { fn json(&self) -> String { format!("[{},{}]", self.0, self.1) } }

/// One pose, input, claim or entry of the display: `with` adds a field.
pub struct Entry { fields: Vec<String>, boxes: Vec<String>, counters: Vec<String> }
impl Entry {
    fn new() -> Self { Entry { fields: Vec::new(), boxes: Vec::new(), counters: Vec::new() } }
    pub fn with<V: Value>(&mut self, name: &str, value: V) -> &mut Self {
        self.fields.push(format!("{}:{}", quoted(name), value.json()));
        self
    }
    /// Where the game itself has an open box, corners in the world.
    pub fn open(&mut self, name: &str, x0: f64, y0: f64, x1: f64, y1: f64) -> &mut Self {
        self.boxes.push(format!("{}:[{},{},{},{}]", quoted(name), x0, y0, x1, y1));
        self
    }
    /// Where the game itself has an open box that is round.
    pub fn open_circle(&mut self, name: &str, x: f64, y: f64, r: f64) -> &mut Self {
        self.boxes.push(format!("{}:{{\"circle\":[{},{},{}]}}", quoted(name), x, y, r));
        self
    }
    /// What one of its counters has come to.
    pub fn counter(&mut self, name: &str, value: f64) -> &mut Self {
        self.counters.push(format!("{}:{}", quoted(name), value));
        self
    }
    fn text(&self) -> String {
        let mut fields = self.fields.clone();
        if !self.counters.is_empty() { fields.push(format!("\"counters\":{{{}}}", self.counters.join(","))); }
        if !self.boxes.is_empty() { fields.push(format!("\"boxes\":{{{}}}", self.boxes.join(","))); }
        format!("{{{}}}", fields.join(","))
    }
}

pub struct Recorder {
    pub problem: Option<String>,
    pub lost: u64,
    pub flush_seconds: f64,
    frame: u64,
    dropped: u64,
    sink: Sink,
    buffer: Vec<u8>,
    flushed: Instant,
    tables: [(&'static str, Vec<Entry>); 4],
    reset: Option<String>,
}
impl Recorder {
    /// `more` of the header as JSON: `"up":"+y","title":"one"`.
    pub fn new(path: &str, rate: f64, more: &str) -> Self {
        let opened = match path.strip_prefix("tcp://") {
            Some(address) => TcpStream::connect(address).and_then(|stream| { stream.set_nonblocking(true)?; Ok(Sink::Tcp(stream)) }),
            None => File::create(path).map(Sink::File),
        };
        let (sink, problem) = match opened { Ok(sink) => (sink, None), Err(error) => (Sink::None, Some(error.to_string())) };
        let comma = if more.is_empty() { "" } else { "," };
        let buffer = format!("{{\"voskar\":\"recording\",\"version\":2,\"rate\":{rate}{comma}{more}}}\n");
        let tables = [("poses", Vec::new()), ("inputs", Vec::new()), ("claims", Vec::new()), ("display", Vec::new())];
        let buffer = buffer.into_bytes();
        Recorder { problem, lost: 0, flush_seconds: 0.1, frame: 0, dropped: 0, sink, buffer, flushed: Instant::now(), tables, reset: None }
    }
    fn add(&mut self, table: usize) -> &mut Entry {
        let some = &mut self.tables[table].1;
        some.push(Entry::new());
        let last = some.len() - 1;
        &mut some[last]
    }
    /// More: facing, angle, scale, clip with tick or cell, vx, vy, owner, cut, hidden, health, lives, immune, stunned,
    /// frozen, z, push; `with("tags", &["airborne"][..])`, `counter`, `open`.
    pub fn pose(&mut self, id: &str, kind: &str, x: f64, y: f64) -> &mut Entry {
        self.add(0).with("id", id).with("kind", kind).with("x", x).with("y", y)
    }
    /// A button, in every frame that it is held.
    pub fn input(&mut self, id: &str, button: &str) -> &mut Entry { self.add(1).with("id", id).with("button", button) }
    /// hit, clash (`with("ids", &["a", "b"][..])`), down, respawn, out, removed, spawn, over, won
    pub fn claim(&mut self, event: &str) -> &mut Entry { self.add(2).with("event", event) }
    /// id with health, percent, icons, lives, score; or clock
    pub fn display(&mut self) -> &mut Entry { self.add(3) }
    /// Before this frame the "room", or the whole "run", began again.
    pub fn reset(&mut self, what: &str) { self.reset = Some(what.to_string()); }

    pub fn end_frame(&mut self) {
        if self.buffer.len() > MOST_WAITING { // the reader is too slow: the game goes on
            self.dropped += 1;
            self.lost += 1;
            self.frame += 1;
            for (_, some) in self.tables.iter_mut() { some.clear(); }
            self.reset = None;
            self.flush();
            return;
        }
        let mut line = format!("{{\"frame\":{}", self.frame);
        for (name, some) in self.tables.iter_mut() {
            if *name == "poses" || !some.is_empty() {
                let texts: Vec<String> = some.iter().map(Entry::text).collect();
                line.push_str(&format!(",\"{}\":[{}]", name, texts.join(",")));
            }
            some.clear();
        }
        if let Some(what) = self.reset.take() { line.push_str(&format!(",\"reset\":{}", quoted(&what))); }
        if self.dropped > 0 { line.push_str(&format!(",\"dropped\":{}", self.dropped)); }
        self.dropped = 0;
        line.push_str("}\n");
        self.buffer.extend_from_slice(line.as_bytes());
        self.frame += 1;
        if self.flushed.elapsed().as_secs_f64() >= self.flush_seconds { self.flush(); }
    }
    pub fn flush(&mut self) {
        self.flushed = Instant::now();
        let done = match &mut self.sink {
            Sink::File(file) => file.write_all(&self.buffer).map(|_| self.buffer.len()),
            Sink::Tcp(stream) => stream.write(&self.buffer),
            Sink::None => Ok(self.buffer.len()),
        };
        match done {
            Ok(count) => { self.buffer.drain(..count); }
            Err(error) if error.kind() == ErrorKind::WouldBlock => {}
            Err(error) => { self.problem = Some(error.to_string()); self.sink = Sink::None; self.buffer.clear(); }
        }
    }
}
impl Drop for Recorder {
    fn drop(&mut self) {
        if let Sink::Tcp(stream) = &self.sink { // what still waits gets a second
            let _ = stream.set_nonblocking(false);
            let _ = stream.set_write_timeout(Some(Duration::from_secs(1)));
        }
        self.flush();
    }
}
