//! Logs what happens in a game, frame by frame, for Voskar. Copy this file; it needs nothing but the standard library.
//!
//!     let mut log = Recorder::new("play.jsonl", 60.0, "");
//!     // in every frame, when all hits have been dealt and before anything that died is removed:
//!     log.pose("keeper", "keeper", x, y).with("facing", 1).with("clip", "run").with("tick", 12).with("health", 3);
//!     log.claim("hit").with("attacker", "hornet-1").with("target", "keeper").with("damage", 1);
//!     log.end_frame();
//!
//! Nothing here panics or returns an error into the game: a recorder that cannot write falls silent, and says why in
//! `problem`.
#![allow(dead_code)]
use std::fs::File;
use std::io::Write;

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
/// Aim or push.
impl Value for (f64, f64) { fn json(&self) -> String { format!("[{},{}]", self.0, self.1) } }

/// One pose, input, claim or entry of the display: `with` adds a field.
pub struct Entry { fields: Vec<String>, boxes: Vec<String> }
impl Entry {
    fn new() -> Self { Entry { fields: Vec::new(), boxes: Vec::new() } }
    pub fn with<V: Value>(&mut self, name: &str, value: V) -> &mut Self {
        self.fields.push(format!("{}:{}", quoted(name), value.json()));
        self
    }
    /// Where the game itself has an open box, corners in the world.
    pub fn open(&mut self, name: &str, x0: f64, y0: f64, x1: f64, y1: f64) -> &mut Self {
        self.boxes.push(format!("{}:[{},{},{},{}]", quoted(name), x0, y0, x1, y1));
        self
    }
    fn text(&self) -> String {
        let mut fields = self.fields.clone();
        if !self.boxes.is_empty() { fields.push(format!("\"boxes\":{{{}}}", self.boxes.join(","))); }
        format!("{{{}}}", fields.join(","))
    }
}

pub struct Recorder {
    pub problem: Option<String>,
    frame: u64,
    file: Option<File>,
    buffer: String,
    tables: [(&'static str, Vec<Entry>); 4],
    reset: Option<String>,
}
impl Recorder {
    /// `more` of the header as JSON: `"up":"+y","title":"one"`.
    pub fn new(path: &str, rate: f64, more: &str) -> Self {
        let (file, problem) = match File::create(path) { Ok(file) => (Some(file), None), Err(error) => (None, Some(error.to_string())) };
        let comma = if more.is_empty() { "" } else { "," };
        let buffer = format!("{{\"voskar\":\"recording\",\"version\":2,\"rate\":{rate}{comma}{more}}}\n");
        let tables = [("poses", Vec::new()), ("inputs", Vec::new()), ("claims", Vec::new()), ("display", Vec::new())];
        Recorder { problem, frame: 0, file, buffer, tables, reset: None }
    }
    fn add(&mut self, table: usize) -> &mut Entry {
        let some = &mut self.tables[table].1;
        some.push(Entry::new());
        let last = some.len() - 1;
        &mut some[last]
    }
    /// More: facing, angle, scale, clip with tick or cell, vx, vy, owner, cut, hidden, health, lives, immune, stunned, push.
    pub fn pose(&mut self, id: &str, kind: &str, x: f64, y: f64) -> &mut Entry {
        self.add(0).with("id", id).with("kind", kind).with("x", x).with("y", y)
    }
    /// A button, in every frame that it is held.
    pub fn input(&mut self, id: &str, button: &str) -> &mut Entry { self.add(1).with("id", id).with("button", button) }
    /// hit, down, respawn, out, removed, spawn, over, won
    pub fn claim(&mut self, event: &str) -> &mut Entry { self.add(2).with("event", event) }
    /// id with health, percent, icons, lives, score; or clock
    pub fn display(&mut self) -> &mut Entry { self.add(3) }
    /// Before this frame the "room", or the whole "run", began again.
    pub fn reset(&mut self, what: &str) { self.reset = Some(what.to_string()); }

    pub fn end_frame(&mut self) {
        self.buffer.push_str(&format!("{{\"frame\":{}", self.frame));
        for (name, some) in self.tables.iter_mut() {
            if *name == "poses" || !some.is_empty() {
                let texts: Vec<String> = some.iter().map(Entry::text).collect();
                self.buffer.push_str(&format!(",\"{}\":[{}]", name, texts.join(",")));
            }
            some.clear();
        }
        if let Some(what) = self.reset.take() { self.buffer.push_str(&format!(",\"reset\":{}", quoted(&what))); }
        self.buffer.push_str("}\n");
        self.frame += 1;
        if self.buffer.len() > 65536 { self.flush(); }
    }
    pub fn flush(&mut self) {
        if let Some(file) = self.file.as_mut() {
            if let Err(error) = file.write_all(self.buffer.as_bytes()) { self.problem = Some(error.to_string()); self.file = None; }
        }
        self.buffer.clear();
    }
}
impl Drop for Recorder { fn drop(&mut self) { self.flush(); } }
