//! Logs what happens in a game, frame by frame, for Voskar. Copy this file; it needs nothing but the standard library.
//!
//!     let mut log = Recorder::new("play.jsonl", 60.0, "");
//!     // in every frame, when all hits have been dealt and before anything that died is removed:
//!     log.pose("keeper", "keeper", x, y).with("facing", 1).with("clip", "run").with("tick", 12).with("health", 3);
//!     log.claim("hit").with("attacker", "hornet-1").with("target", "keeper").with("damage", 1);
//!     log.end_frame();
//!
//! A path such as "tcp://127.0.0.1:7777" sends the lines to `voskar live --listen 127.0.0.1:7777`. What is logged is
//! written after `flush_seconds`, 0 for every frame. `Recorder::packed` writes a compressed file.
//!
//! Numbers have `decimals` places, 4 by default. A thing out of a pool needs another id each time: `log.pool("shot-0")` as
//! it is taken out.
//!
//! Nothing here panics or returns an error into the game, or keeps it waiting: a recorder that cannot write falls silent,
//! and says why in `problem`; if its reader is too slow, it loses frames, and counts them in `lost`. Numbers that are none
//! and ids that cannot be printed are replaced; the log says so in `problems`.
#![allow(dead_code)]
use std::collections::HashMap;
use std::fs::File;
use std::io::{ErrorKind, Write};
use std::net::TcpStream;
use std::time::{Duration, Instant};

/// Makes a whole gzip member of bytes.
pub type Pack = Box<dyn Fn(&[u8]) -> Vec<u8> + Send>;
enum Sink { File(File), Packed(File, Pack), Tcp(TcpStream), None }
/// Bytes that may wait for a slow reader before frames are lost.
const MOST_WAITING: usize = 4_000_000;

/// A text in quotes; what cannot be printed is replaced.
pub fn quoted(text: &str) -> String {
    let mut out = String::from("\"");
    for letter in text.chars() {
        match letter {
            '"' | '\\' => { out.push('\\'); out.push(letter); }
            letter if letter.is_control() => out.push('?'),
            letter => out.push(letter),
        }
    }
    out.push('"');
    out
}
fn number(value: f64, decimals: usize) -> String {
    if !value.is_finite() { return "0".into(); }
    let text = format!("{value:.decimals$}");
    let text = if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.') } else { &text };
    if text == "-0" { "0".into() } else { text.into() }
}
/// Why a number or a text could not be written.
fn odd_number(value: f64) -> Option<String> {
    if value.is_finite() { None } else { Some(format!("was {}", if value.is_nan() { "NaN" } else if value > 0.0 { "infinite" } else { "-infinite" })) }
}
fn odd_text(text: &str) -> Option<String> {
    if text.chars().any(char::is_control) { Some("had characters that cannot be printed".into()) } else { None }
}

/// A value of a field, as JSON, and what is odd with it.
pub trait Value {
    fn json(&self, decimals: usize) -> String;
    fn odd(&self) -> Option<String> { None }
}
impl Value for &str {
    fn json(&self, _: usize) -> String { quoted(self) }
    fn odd(&self) -> Option<String> { odd_text(self) }
}
impl Value for String {
    fn json(&self, _: usize) -> String { quoted(self) }
    fn odd(&self) -> Option<String> { odd_text(self) }
}
impl Value for bool { fn json(&self, _: usize) -> String { self.to_string() } }
macro_rules! whole { ($($kind:ty)*) => { $(impl Value for $kind { fn json(&self, _: usize) -> String { self.to_string() } })* } }
whole!(i8 i16 i32 i64 u8 u16 u32 u64 usize isize);
impl Value for f64 {
    fn json(&self, decimals: usize) -> String { number(*self, decimals) }
    fn odd(&self) -> Option<String> { odd_number(*self) }
}
impl Value for f32 {
    fn json(&self, decimals: usize) -> String { number(*self as f64, decimals) }
    fn odd(&self) -> Option<String> { odd_number(*self as f64) }
}
/// Tags, or the two ids of a clash.
impl Value for &[&str] {
    fn json(&self, _: usize) -> String { format!("[{}]", self.iter().map(|item| quoted(item)).collect::<Vec<_>>().join(",")) }
    fn odd(&self) -> Option<String> { self.iter().find_map(|item| odd_text(item)) }
}
/// Numbers in a row, such as aim or push.
impl<const N: usize> Value for [f64; N] {
    fn json(&self, decimals: usize) -> String { format!("[{}]", self.iter().map(|item| number(*item, decimals)).collect::<Vec<_>>().join(",")) }
    fn odd(&self) -> Option<String> { self.iter().find_map(|item| odd_number(*item)) }
}
impl Value for (f64, f64) {
    fn json(&self, decimals: usize) -> String { [self.0, self.1].json(decimals) }
    fn odd(&self) -> Option<String> { [self.0, self.1].odd() }
}

/// One pose, input, claim or entry of the display: `with` adds a field.
pub struct Entry { who: String, fields: Vec<String>, boxes: Vec<String>, counters: Vec<String>, problems: Vec<String>, decimals: usize }
impl Entry {
    fn new(decimals: usize) -> Self {
        Entry { who: "an entry".into(), fields: Vec::new(), boxes: Vec::new(), counters: Vec::new(), problems: Vec::new(), decimals }
    }
    fn noted<V: Value>(&mut self, name: &str, value: &V) -> String {
        let text = value.json(self.decimals);
        if let Some(odd) = value.odd() { self.problems.push(format!("{}: {} {}", self.who, name, odd)); }
        text
    }
    pub fn with<V: Value>(&mut self, name: &str, value: V) -> &mut Self {
        if self.fields.is_empty() { self.who = value.json(self.decimals).trim_matches('"').into(); }
        let text = self.noted(name, &value);
        self.fields.push(format!("{}:{}", quoted(name), text));
        self
    }
    /// Where the game itself has an open box, corners in the world.
    pub fn open(&mut self, name: &str, x0: f64, y0: f64, x1: f64, y1: f64) -> &mut Self {
        let text = self.noted("boxes", &[x0, y0, x1, y1]);
        self.boxes.push(format!("{}:{}", quoted(name), text));
        self
    }
    /// Where the game itself has an open box that is round.
    pub fn open_circle(&mut self, name: &str, x: f64, y: f64, r: f64) -> &mut Self {
        let text = self.noted("boxes", &[x, y, r]);
        self.boxes.push(format!("{}:{{\"circle\":{}}}", quoted(name), text));
        self
    }
    /// … or has corners.
    pub fn open_polygon(&mut self, name: &str, corners: &[[f64; 2]]) -> &mut Self {
        let texts: Vec<String> = corners.iter().map(|corner| self.noted("boxes", corner)).collect();
        self.boxes.push(format!("{}:{{\"polygon\":[{}]}}", quoted(name), texts.join(",")));
        self
    }
    /// The value of one of its counters.
    pub fn counter(&mut self, name: &str, value: f64) -> &mut Self {
        let text = self.noted("counters", &value);
        self.counters.push(format!("{}:{}", quoted(name), text));
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
    pub decimals: usize,
    taken: HashMap<String, u64>,
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
        Self::over(opened, rate, more)
    }
    /// To a compressed file. With the crate `flate2`, `pack` is
    ///
    ///     |bytes| { let mut out = GzEncoder::new(Vec::new(), Compression::fast()); let _ = out.write_all(bytes); out.finish().unwrap_or_default() }
    pub fn packed(path: &str, rate: f64, more: &str, pack: impl Fn(&[u8]) -> Vec<u8> + Send + 'static) -> Self {
        Self::over(File::create(path).map(|file| Sink::Packed(file, Box::new(pack))), rate, more)
    }
    fn over(opened: std::io::Result<Sink>, rate: f64, more: &str) -> Self {
        let (sink, problem) = match opened { Ok(sink) => (sink, None), Err(error) => (Sink::None, Some(error.to_string())) };
        let comma = if more.is_empty() { "" } else { "," };
        let buffer = format!("{{\"voskar\":\"recording\",\"version\":2,\"rate\":{rate}{comma}{more}}}\n");
        let tables = [("poses", Vec::new()), ("inputs", Vec::new()), ("claims", Vec::new()), ("display", Vec::new())];
        let buffer = buffer.into_bytes();
        let mut made = Recorder { problem, lost: 0, flush_seconds: 0.1, decimals: 4, taken: HashMap::new(), frame: 0, dropped: 0, sink, buffer, flushed: Instant::now(), tables, reset: None };
        made.flush();
        made
    }
    /// Another id at each call: for a thing out of a pool, as it is taken out again.
    pub fn pool(&mut self, id: &str) -> String {
        let count = self.taken.entry(id.into()).or_insert(0);
        *count += 1;
        if *count == 1 { id.into() } else { format!("{id}~{count}") }
    }
    fn add(&mut self, table: usize) -> &mut Entry {
        let entries = &mut self.tables[table].1;
        entries.push(Entry::new(self.decimals));
        let last = entries.len() - 1;
        &mut entries[last]
    }
    /// More: facing, angle, scale, clip with tick or cell, vx, vy, owner, cut, hidden, health, lives, immune, stunned,
    /// frozen, z, push; `with("tags", &["airborne"][..])`, `counter`, `open`, `open_circle`, `open_polygon`.
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
            for (_, entries) in self.tables.iter_mut() { entries.clear(); }
            self.reset = None;
            self.flush();
            return;
        }
        let mut line = format!("{{\"frame\":{}", self.frame);
        let mut problems: Vec<String> = Vec::new();
        for (name, entries) in self.tables.iter_mut() {
            problems.extend(entries.iter().flat_map(|entry| entry.problems.iter().map(|what| quoted(what))));
            if *name == "poses" || !entries.is_empty() {
                let texts: Vec<String> = entries.iter().map(Entry::text).collect();
                line.push_str(&format!(",\"{}\":[{}]", name, texts.join(",")));
            }
            entries.clear();
        }
        if let Some(what) = self.reset.take() { line.push_str(&format!(",\"reset\":{}", quoted(&what))); }
        if self.dropped > 0 { line.push_str(&format!(",\"dropped\":{}", self.dropped)); }
        self.dropped = 0;
        problems.truncate(10);
        if !problems.is_empty() { line.push_str(&format!(",\"problems\":[{}]", problems.join(","))); }
        line.push_str("}\n");
        self.buffer.extend_from_slice(line.as_bytes());
        self.frame += 1;
        // a game without pauses fills a file faster than that
        let is_full = !matches!(self.sink, Sink::Tcp(_)) && self.buffer.len() > 1_000_000;
        if is_full || self.flushed.elapsed().as_secs_f64() >= self.flush_seconds { self.flush(); }
    }
    pub fn flush(&mut self) {
        self.flushed = Instant::now();
        let done = match &mut self.sink {
            _ if self.buffer.is_empty() => Ok(0),
            Sink::File(file) => file.write_all(&self.buffer).map(|_| self.buffer.len()),
            Sink::Packed(file, pack) => file.write_all(&pack(&self.buffer)).map(|_| self.buffer.len()),
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
