// Logs what happens in a game, frame by frame, for Voskar. Copy this file; it needs nothing but C++17.
//
//   voskar::Recorder log("play.jsonl", 60);
//   // in every frame, when all hits have been dealt and before anything that died is removed:
//   log.pose("keeper", "keeper", x, y).with("facing", 1).with("clip", "run").with("tick", 12).with("health", 3);
//   log.claim("hit").with("attacker", "hornet-1").with("target", "keeper").with("damage", 1);
//   log.end_frame();
//
// Nothing here throws into the game: a recorder that cannot write falls silent, and says why in problem().
// A slow reader costs frames, which lost() counts, and never keeps the game waiting.
#pragma once
#include <cerrno>
#include <chrono>
#include <cstdio>
#include <deque>
#include <initializer_list>
#include <string>
#include <utility>
#ifndef _WIN32
#include <fcntl.h>
#include <netdb.h>
#include <sys/socket.h>
#include <sys/time.h>
#include <unistd.h>
#endif

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
    // where the game itself has an open box that is round
    Entry& circle(const std::string& name, double x, double y, double r) {
        boxes_ += (boxes_.empty() ? "" : ",") + quoted(name) + ":{\"circle\":[" + number(x) + "," + number(y) + "," + number(r) + "]}";
        return *this;
    }
    // tags, or the two ids of a clash
    Entry& list(const char* name, std::initializer_list<std::string> values) {
        std::string all;
        for (const std::string& one : values) all += (all.empty() ? "" : ",") + quoted(one);
        return raw(name, "[" + all + "]");
    }
    // what one of its counters has come to
    Entry& counter(const std::string& name, double value) {
        counters_ += (counters_.empty() ? "" : ",") + quoted(name) + ":" + number(value);
        return *this;
    }
    std::string text() const { return text_ + map("counters", counters_) + map("boxes", boxes_) + "}"; }

private:
    Entry& raw(const char* name, const std::string& value) {
        text_ += (text_.size() > 1 ? "," : "") + quoted(name) + ":" + value;
        return *this;
    }
    std::string map(const char* name, const std::string& inside) const {
        return inside.empty() ? "" : (text_.size() > 1 ? "," : "") + quoted(name) + ":{" + inside + "}";
    }
    std::string text_, boxes_, counters_;
};

class Recorder {
public:
    // More of the header as JSON: "\"up\":\"+y\",\"title\":\"one\""
    // A path such as "tcp://127.0.0.1:7777" sends the lines to `voskar live --listen 127.0.0.1:7777`.
    Recorder(const std::string& path, double rate, const std::string& more = "", long first = 0) : frame_(first) {
        if (path.rfind("tcp://", 0) == 0) connect(path.substr(6));
        else file_ = std::fopen(path.c_str(), "wb");
        if (!file_ && socket_ < 0 && problem_.empty()) problem_ = "cannot write " + path;
        buffer_ = "{\"voskar\":\"recording\",\"version\":2,\"rate\":" + number(rate) + (more.empty() ? "" : "," + more) + "}\n";
    }
    ~Recorder() { close(); }
    Recorder(const Recorder&) = delete;
    Recorder& operator=(const Recorder&) = delete;

    // more: facing, angle, scale, clip with tick or cell, vx, vy, owner, cut, hidden, health, lives, immune, stunned,
    // frozen, z, push; list("tags", …), counter(…), box(…)
    Entry& pose(const std::string& id, const std::string& kind, double x, double y) {
        return add(poses_).with("id", id).with("kind", kind).with("x", x).with("y", y);
    }
    // a button, in every frame that it is held
    Entry& input(const std::string& id, const std::string& button) { return add(inputs_).with("id", id).with("button", button); }
    // hit, clash (list("ids", …)), down, respawn, out, removed, spawn, over, won
    Entry& claim(const std::string& event) { return add(claims_).with("event", event); }
    // id with health, percent, icons, lives, score; or clock
    Entry& display() { return add(display_); }
    // before this frame the "room", or the whole "run", began again
    void reset(const std::string& what) { reset_ = what; }

    // What is logged is written after so many seconds, 0 for every frame.
    void flush_after(double seconds) { pause_ = seconds; }

    void end_frame() {
        if (buffer_.size() > 4000000) {  // the reader is too slow: the game goes on
            ++dropped_; ++lost_; ++frame_;
            poses_.clear(); inputs_.clear(); claims_.clear(); display_.clear(); reset_.clear();
            flush();
            return;
        }
        buffer_ += "{\"frame\":" + std::to_string(frame_++) + ",\"poses\":" + list(poses_);
        if (!inputs_.empty()) buffer_ += ",\"inputs\":" + list(inputs_);
        if (!claims_.empty()) buffer_ += ",\"claims\":" + list(claims_);
        if (!display_.empty()) buffer_ += ",\"display\":" + list(display_);
        if (!reset_.empty()) buffer_ += ",\"reset\":" + quoted(reset_);
        if (dropped_) buffer_ += ",\"dropped\":" + std::to_string(dropped_);
        dropped_ = 0;
        buffer_ += "}\n";
        poses_.clear(); inputs_.clear(); claims_.clear(); display_.clear(); reset_.clear();
        if (std::chrono::duration<double>(Clock::now() - flushed_).count() >= pause_) flush();
    }
    void flush() {
        flushed_ = Clock::now();
        if (socket_ >= 0) { send_waiting(); return; }
        if (file_ && !buffer_.empty()) {
            if (std::fwrite(buffer_.data(), 1, buffer_.size(), file_) != buffer_.size()) problem_ = "the disk is full?";
            std::fflush(file_);
        }
        buffer_.clear();
    }
    void close() {
        flush();
        hang_up();
        if (file_) std::fclose(file_);
        file_ = nullptr;
    }
    const std::string& problem() const { return problem_; }
    // frames that a slow reader has cost
    long lost() const { return lost_; }

private:
    using Clock = std::chrono::steady_clock;
#ifdef _WIN32
    void connect(const std::string&) { problem_ = "log to a file here: sending over TCP needs POSIX sockets"; }
    void send_waiting() {}
    void hang_up() {}
#else
    void connect(const std::string& address) {
        const auto colon = address.rfind(':');
        addrinfo hints{}, *found = nullptr;
        hints.ai_socktype = SOCK_STREAM;
        if (colon == std::string::npos ||
            getaddrinfo(address.substr(0, colon).c_str(), address.substr(colon + 1).c_str(), &hints, &found) != 0) {
            problem_ = "expected tcp://HOST:PORT, found " + address;
            return;
        }
        socket_ = ::socket(found->ai_family, found->ai_socktype, found->ai_protocol);
        if (socket_ >= 0 && ::connect(socket_, found->ai_addr, found->ai_addrlen) != 0) {
            ::close(socket_);
            socket_ = -1;
        }
        if (socket_ < 0) problem_ = "nobody listens at " + address;
        else fcntl(socket_, F_SETFL, O_NONBLOCK);
        freeaddrinfo(found);
    }
    void send_waiting() {
        const auto sent = ::send(socket_, buffer_.data(), buffer_.size(), MSG_NOSIGNAL);
        if (sent > 0) buffer_.erase(0, static_cast<std::size_t>(sent));
        else if (sent < 0 && errno != EAGAIN && errno != EWOULDBLOCK) {
            problem_ = "the reader is gone";
            ::close(socket_);
            socket_ = -1;
            buffer_.clear();
        }
    }
    void hang_up() {
        if (socket_ < 0) return;
        fcntl(socket_, F_SETFL, 0);
        timeval second{1, 0};  // what still waits gets so long
        setsockopt(socket_, SOL_SOCKET, SO_SNDTIMEO, &second, sizeof second);
        if (!buffer_.empty()) send_waiting();
        if (socket_ >= 0) ::close(socket_);
        socket_ = -1;
    }
#endif
    static Entry& add(std::deque<Entry>& some) {  // an entry stays where it is while others are added
        some.emplace_back("{");
        return some.back();
    }
    static std::string list(const std::deque<Entry>& some) {
        std::string out = "[";
        for (const Entry& one : some) out += (out.size() > 1 ? "," : "") + one.text();
        return out + "]";
    }
    std::FILE* file_ = nullptr;
    std::string buffer_, problem_, reset_;
    std::deque<Entry> poses_, inputs_, claims_, display_;
    long frame_, dropped_ = 0, lost_ = 0;
    int socket_ = -1;
    double pause_ = 0.1;
    Clock::time_point flushed_ = Clock::now();
};

}  // namespace voskar
