// Logs what happens in a game, frame by frame, for Voskar. Copy this file; it needs nothing but C++17.
//
//   voskar::Recorder log("play.jsonl", 60);
//   // in every frame, when all hits have been dealt and before anything that died is removed:
//   log.pose("keeper", "keeper", x, y).with("facing", 1).with("clip", "run").with("tick", 12).with("health", 3);
//   log.claim("hit").with("attacker", "hornet-1").with("target", "keeper").with("damage", 1);
//   log.end_frame();
//
// Nothing here throws into the game: a recorder that cannot write falls silent, and says why in problem().
#pragma once
#include <cstdio>
#include <string>
#include <utility>
#include <vector>

namespace voskar {

inline std::string quoted(const std::string& text) {
    std::string out = "\"";
    char code[8];
    for (unsigned char one : text) {
        if (one == '"' || one == '\\') { out += '\\'; out += static_cast<char>(one); }
        else if (one < 0x20) { std::snprintf(code, sizeof code, "\\u%04x", one); out += code; }
        else out += static_cast<char>(one);
    }
    return out + "\"";
}
inline std::string number(double value) {
    char text[32];
    std::snprintf(text, sizeof text, "%.17g", value);
    return text;
}

// One pose, input, claim or entry of the display: with() adds a field.
class Entry {
public:
    explicit Entry(std::string begun) : text_(std::move(begun)) {}
    Entry& with(const char* name, const char* value) { return raw(name, quoted(value)); }
    Entry& with(const char* name, const std::string& value) { return raw(name, quoted(value)); }
    Entry& with(const char* name, bool value) { return raw(name, value ? "true" : "false"); }
    Entry& with(const char* name, int value) { return raw(name, std::to_string(value)); }
    Entry& with(const char* name, double value) { return raw(name, number(value)); }
    // aim or push
    Entry& with(const char* name, double x, double y) { return raw(name, "[" + number(x) + "," + number(y) + "]"); }
    // where the game itself has an open box, corners in the world
    Entry& box(const std::string& name, double x0, double y0, double x1, double y1) {
        boxes_ += (boxes_.empty() ? "" : ",") + quoted(name) + ":[" + number(x0) + "," + number(y0) + "," + number(x1) + "," + number(y1) + "]";
        return *this;
    }
    std::string text() const { return text_ + (boxes_.empty() ? "" : (text_.size() > 1 ? ",\"boxes\":{" : "\"boxes\":{") + boxes_ + "}") + "}"; }

private:
    Entry& raw(const char* name, const std::string& value) {
        text_ += (text_.size() > 1 ? "," : "") + quoted(name) + ":" + value;
        return *this;
    }
    std::string text_, boxes_;
};

class Recorder {
public:
    // More of the header as JSON: "\"up\":\"+y\",\"title\":\"one\""
    Recorder(const std::string& path, double rate, const std::string& more = "", long first = 0) : frame_(first) {
        file_ = std::fopen(path.c_str(), "wb");
        if (!file_) problem_ = "cannot write " + path;
        buffer_ = "{\"voskar\":\"recording\",\"version\":2,\"rate\":" + number(rate) + (more.empty() ? "" : "," + more) + "}\n";
    }
    ~Recorder() { close(); }
    Recorder(const Recorder&) = delete;
    Recorder& operator=(const Recorder&) = delete;

    // more: facing, angle, scale, clip with tick or cell, vx, vy, owner, cut, hidden, health, lives, immune, stunned, push
    Entry& pose(const std::string& id, const std::string& kind, double x, double y) {
        return add(poses_).with("id", id).with("kind", kind).with("x", x).with("y", y);
    }
    // a button, in every frame that it is held
    Entry& input(const std::string& id, const std::string& button) { return add(inputs_).with("id", id).with("button", button); }
    // hit, down, respawn, out, removed, spawn, over, won
    Entry& claim(const std::string& event) { return add(claims_).with("event", event); }
    // id with health, percent, icons, lives, score; or clock
    Entry& display() { return add(display_); }
    // before this frame the "room", or the whole "run", began again
    void reset(const std::string& what) { reset_ = what; }

    void end_frame() {
        buffer_ += "{\"frame\":" + std::to_string(frame_++) + ",\"poses\":" + list(poses_);
        if (!inputs_.empty()) buffer_ += ",\"inputs\":" + list(inputs_);
        if (!claims_.empty()) buffer_ += ",\"claims\":" + list(claims_);
        if (!display_.empty()) buffer_ += ",\"display\":" + list(display_);
        if (!reset_.empty()) buffer_ += ",\"reset\":" + quoted(reset_);
        buffer_ += "}\n";
        poses_.clear(); inputs_.clear(); claims_.clear(); display_.clear(); reset_.clear();
        if (buffer_.size() > 65536) flush();
    }
    void flush() {
        if (file_ && !buffer_.empty()) {
            if (std::fwrite(buffer_.data(), 1, buffer_.size(), file_) != buffer_.size()) problem_ = "the disk is full?";
            std::fflush(file_);
        }
        buffer_.clear();
    }
    void close() {
        flush();
        if (file_) std::fclose(file_);
        file_ = nullptr;
    }
    const std::string& problem() const { return problem_; }

private:
    static Entry& add(std::vector<Entry>& some) {
        some.emplace_back("{");
        return some.back();
    }
    static std::string list(const std::vector<Entry>& some) {
        std::string out = "[";
        for (const Entry& one : some) out += (out.size() > 1 ? "," : "") + one.text();
        return out + "]";
    }
    std::FILE* file_ = nullptr;
    std::string buffer_, problem_, reset_;
    std::vector<Entry> poses_, inputs_, claims_, display_;
    long frame_;
};

}  // namespace voskar
