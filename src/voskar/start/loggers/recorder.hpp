// Logs what happens in a game, frame by frame, for Voskar. Copy this file; it needs nothing but C++17.
//
//   voskar::Recorder log("play.jsonl", 60);
//   // in every frame, when all hits have been dealt and before anything that died is removed:
//   log.pose("keeper", "keeper", x, y).with("facing", 1).with("clip", "run").with("tick", 12).with("health", 3);
//   log.claim("hit").with("attacker", "hornet-1").with("target", "keeper").with("damage", 1);
//   log.end_frame();
//
// Numbers have 4 decimals, or as many as decimals(n) says. A thing out of a pool needs another id each time: pool("shot-0") as
// it is taken out. With VOSKAR_GZIP defined, and linked with zlib, a path that ends in .gz is compressed.
//
// Nothing here throws into the game: a recorder that cannot write falls silent, and says why in problem(). A slow reader
// costs frames, which lost() counts, and never keeps the game waiting. Numbers that are none and ids that cannot be
// printed are replaced; the log says so in `problems`. Threads may each fill entries of their own: pose() and its like
// take a lock. One of them calls end_frame(), when the others are done with the frame.
#pragma once
#include <cerrno>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <deque>
#include <initializer_list>
#include <mutex>
#include <string>
#include <type_traits>
#include <unordered_map>
#include <utility>
#include <vector>
#ifdef VOSKAR_GZIP
#include <zlib.h>
#endif
#ifndef _WIN32
#include <fcntl.h>
#include <netdb.h>
#include <sys/socket.h>
#include <sys/time.h>
#include <unistd.h>
#endif

namespace voskar {

// Notes of a frame, shared by all of its entries.
struct Notes {
    void add(const std::string& what) {
        std::lock_guard<std::mutex> hold(mutex);
        if (problems.size() < 10) problems.push_back(what);
    }
    std::mutex mutex;
    std::vector<std::string> problems;
    int decimals = 4;
};

// Bytes of the UTF-8 character that begins here, 0 for what cannot be printed.
inline std::size_t character(const unsigned char* at, std::size_t left) {
    const unsigned char first = at[0];
    if (first < 0x80) return first >= 0x20 && first != 0x7f ? 1 : 0;
    const std::size_t length = first >= 0xf0 && first < 0xf5 ? 4 : first >= 0xe0 && first < 0xf0 ? 3 : first >= 0xc2 && first < 0xe0 ? 2 : 0;
    if (!length || length > left) return 0;
    for (std::size_t k = 1; k < length; ++k) if ((at[k] & 0xc0) != 0x80) return 0;
    const unsigned char second = at[1];
    const bool is_odd = (first == 0xe0 && second < 0xa0) || (first == 0xed && second >= 0xa0) || (first == 0xf0 && second < 0x90) ||
                        (first == 0xf4 && second >= 0x90) || (first == 0xc2 && second < 0xa0);
    return is_odd ? 0 : length;
}
// Adds a text in quotes; false if some of it could not be written.
inline bool quote(std::string& out, const char* text, std::size_t size) {
    bool is_whole = true;
    out += '"';
    for (std::size_t at = 0; at < size;) {
        const std::size_t length = character(reinterpret_cast<const unsigned char*>(text) + at, size - at);
        if (!length) { out += '?'; is_whole = false; }
        else if (text[at] == '"' || text[at] == '\\') { out += '\\'; out += text[at]; }
        else out.append(text + at, length);
        at += length ? length : 1;
    }
    out += '"';
    return is_whole;
}
inline std::string quoted(const std::string& text) { std::string out; quote(out, text.data(), text.size()); return out; }

// Adds a number with so many decimals, whatever the locale says.
inline void number(std::string& out, double value, int decimals) {
    static const double scales[] = {1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9};
    char text[40];
    const int places = decimals < 0 ? 0 : decimals > 9 ? 9 : decimals;
    if (std::fabs(value) < 1e9) {
        long long whole = std::llround(std::fabs(value) * scales[places]);
        char* end = text + sizeof text;
        char* at = end;
        int left = places;
        while (left > 0 && whole % 10 == 0) { whole /= 10; --left; }
        for (; left > 0; --left) { *--at = static_cast<char>('0' + whole % 10); whole /= 10; }
        if (at != end) *--at = '.';
        const bool is_zero = at == end && whole == 0;
        do { *--at = static_cast<char>('0' + whole % 10); whole /= 10; } while (whole);
        if (value < 0 && !is_zero) *--at = '-';
        out.append(at, static_cast<std::size_t>(end - at));
        return;
    }
    const int size = std::snprintf(text, sizeof text, "%.17g", value);
    for (int k = 0; k < size; ++k) out += text[k] == ',' ? '.' : text[k];
}

// One pose, input, claim or entry of the display: with() adds a field. It stays where it is until end_frame().
class Entry {
public:
    explicit Entry(Notes* notes) : notes_(notes) {}
    Entry& with(const char* name, const char* value) { return text(name, value, std::char_traits<char>::length(value)); }
    Entry& with(const char* name, const std::string& value) { return text(name, value.data(), value.size()); }
    template <class Number, typename std::enable_if<std::is_arithmetic<Number>::value, int>::type = 0>
    Entry& with(const char* name, Number value) {
        begin(name);
        if (std::is_same<Number, bool>::value) text_ += value ? "true" : "false";
        else if (std::is_integral<Number>::value) text_ += std::to_string(value);
        else add(name, static_cast<double>(value));
        return *this;
    }
    // aim or push
    Entry& with(const char* name, double x, double y) { begin(name); numbers(name, {x, y}, text_); return *this; }
    // where the game itself has an open box, corners in the world
    Entry& box(const std::string& name, double x0, double y0, double x1, double y1) {
        numbers("boxes", {x0, y0, x1, y1}, shape(name));
        return *this;
    }
    // where the game itself has an open box that is round
    Entry& circle(const std::string& name, double x, double y, double r) {
        std::string& out = shape(name) += "{\"circle\":";
        numbers("boxes", {x, y, r}, out);
        out += '}';
        return *this;
    }
    // … or has corners: x, y, x, y, …
    Entry& polygon(const std::string& name, std::initializer_list<double> corners) {
        std::string& out = shape(name) += "{\"polygon\":[";
        for (const double* corner = corners.begin(); corner + 1 < corners.end(); corner += 2) {
            if (corner != corners.begin()) out += ',';
            numbers("boxes", {corner[0], corner[1]}, out);
        }
        out += "]}";
        return *this;
    }
    // tags, or the two ids of a clash
    Entry& list(const char* name, std::initializer_list<std::string> values) {
        begin(name);
        text_ += '[';
        for (const std::string& value : values) {
            if (&value != values.begin()) text_ += ',';
            if (!quote(text_, value.data(), value.size())) unprintable(name);
        }
        text_ += ']';
        return *this;
    }
    // the value of one of its counters
    Entry& counter(const std::string& name, double value) {
        if (!counters_.empty()) counters_ += ',';
        quote(counters_, name.data(), name.size());
        counters_ += ':';
        std::swap(text_, counters_);
        add("counters", value);
        std::swap(text_, counters_);
        return *this;
    }
    void write(std::string& out) const {
        out += '{';
        out += text_;
        if (!counters_.empty()) { if (!text_.empty()) out += ','; out += "\"counters\":{" + counters_ + '}'; }
        if (!boxes_.empty()) { if (!text_.empty() || !counters_.empty()) out += ','; out += "\"boxes\":{" + boxes_ + '}'; }
        out += '}';
    }
    void clear() { text_.clear(); boxes_.clear(); counters_.clear(); }

private:
    void begin(const char* name) {
        if (!text_.empty()) text_ += ',';
        text_ += '"';
        text_ += name;
        text_ += "\":";
    }
    Entry& text(const char* name, const char* value, std::size_t size) {
        begin(name);
        if (!quote(text_, value, size)) unprintable(name);
        return *this;
    }
    std::string& shape(const std::string& name) {
        if (!boxes_.empty()) boxes_ += ',';
        quote(boxes_, name.data(), name.size());
        return boxes_ += ':';
    }
    void numbers(const char* name, std::initializer_list<double> values, std::string& out) {
        out += '[';
        for (const double& value : values) {
            if (&value != values.begin()) out += ',';
            if (std::isfinite(value)) number(out, value, notes_->decimals);
            else { out += '0'; not_finite(name, value); }
        }
        out += ']';
    }
    void add(const char* name, double value) {
        if (std::isfinite(value)) number(text_, value, notes_->decimals);
        else { text_ += '0'; not_finite(name, value); }
    }
    std::string who() const {  // the first field: an id or an event
        const auto from = text_.find(":\""), to = from == std::string::npos ? from : text_.find('"', from + 2);
        return to == std::string::npos ? "an entry" : text_.substr(from + 2, to - from - 2);
    }
    void not_finite(const char* name, double value) {
        notes_->add(who() + ": " + name + " was " + (std::isnan(value) ? "NaN" : value > 0 ? "infinite" : "-infinite"));
    }
    void unprintable(const char* name) { notes_->add(who() + ": " + name + " had characters that cannot be printed"); }
    Notes* notes_;
    std::string text_, boxes_, counters_;
};

// The entries of a frame; their memory is used again in the next.
class Entries {
public:
    Entry& add(Notes& notes) {
        std::lock_guard<std::mutex> hold(notes.mutex);
        if (count_ == all_.size()) all_.emplace_back(&notes);
        Entry& entry = all_[count_++];
        entry.clear();
        return entry;
    }
    void write(std::string& out) const {
        out += '[';
        for (std::size_t k = 0; k < count_; ++k) { if (k) out += ','; all_[k].write(out); }
        out += ']';
    }
    bool empty() const { return count_ == 0; }
    void clear() { count_ = 0; }

private:
    std::deque<Entry> all_;  // an entry stays where it is while others are added
    std::size_t count_ = 0;
};

class Recorder {
public:
    // More of the header as JSON: "\"up\":\"+y\",\"title\":\"one\""
    // A path such as "tcp://127.0.0.1:7777" sends the lines to `voskar live --listen 127.0.0.1:7777`.
    Recorder(const std::string& path, double rate, const std::string& more = "", long first = 0) : frame_(first) {
        if (path.rfind("tcp://", 0) == 0) connect(path.substr(6));
#ifdef VOSKAR_GZIP
        else if (path.size() > 3 && path.compare(path.size() - 3, 3, ".gz") == 0) packed_ = gzopen(path.c_str(), "wb6");
#endif
        else file_ = std::fopen(path.c_str(), "wb");
        if (!file_ && !is_packed() && socket_ < 0 && problem_.empty()) problem_ = "cannot write " + path;
        buffer_ = "{\"voskar\":\"recording\",\"version\":2,\"rate\":";
        number(buffer_, rate, 9);
        buffer_ += (more.empty() ? "" : "," + more) + "}\n";
        flush();
    }
    ~Recorder() { close(); }
    Recorder(const Recorder&) = delete;
    Recorder& operator=(const Recorder&) = delete;

    // more: facing, angle, scale, clip with tick or cell, vx, vy, owner, cut, hidden, health, lives, immune, stunned,
    // frozen, z, push; list("tags", …), counter(…), box(…), circle(…), polygon(…)
    Entry& pose(const std::string& id, const std::string& kind, double x, double y) {
        return poses_.add(notes_).with("id", id).with("kind", kind).with("x", x).with("y", y);
    }
    // another id at each call: for a thing out of a pool, as it is taken out again
    std::string pool(const std::string& id) {
        std::lock_guard<std::mutex> hold(notes_.mutex);
        const int count = ++taken_[id];
        return count == 1 ? id : id + "~" + std::to_string(count);
    }
    void decimals(int count) { notes_.decimals = count; }
    // a button, in every frame that it is held
    Entry& input(const std::string& id, const std::string& button) { return inputs_.add(notes_).with("id", id).with("button", button); }
    // hit, clash (list("ids", …)), down, respawn, out, removed, spawn, over, won
    Entry& claim(const std::string& event) { return claims_.add(notes_).with("event", event); }
    // id with health, percent, icons, lives, score; or clock
    Entry& display() { return display_.add(notes_); }
    // before this frame the "room", or the whole "run", began again
    void reset(const std::string& what) { reset_ = what; }

    // What is logged is written after so many seconds, 0 for every frame.
    void flush_after(double seconds) { pause_ = seconds; }

    void end_frame() {
        if (buffer_.size() > 4000000) {  // the reader is too slow: the game goes on
            ++dropped_; ++lost_; ++frame_;
            clear();
            flush();
            return;
        }
        buffer_ += "{\"frame\":" + std::to_string(frame_++) + ",\"poses\":";
        poses_.write(buffer_);
        table(",\"inputs\":", inputs_);
        table(",\"claims\":", claims_);
        table(",\"display\":", display_);
        if (!reset_.empty()) buffer_ += ",\"reset\":" + quoted(reset_);
        if (dropped_) buffer_ += ",\"dropped\":" + std::to_string(dropped_);
        dropped_ = 0;
        for (std::size_t k = 0; k < notes_.problems.size(); ++k) {
            buffer_ += (k ? "," : ",\"problems\":[") + quoted(notes_.problems[k]);
        }
        buffer_ += notes_.problems.empty() ? "}\n" : "]}\n";
        clear();
        // a game without pauses fills a file faster than that
        const bool is_full = socket_ < 0 && buffer_.size() > 1000000;
        if (is_full || std::chrono::duration<double>(Clock::now() - flushed_).count() >= pause_) flush();
    }
    void flush() {
        flushed_ = Clock::now();
        if (socket_ >= 0) { send_waiting(); return; }
        if (file_ && !buffer_.empty()) {
            if (std::fwrite(buffer_.data(), 1, buffer_.size(), file_) != buffer_.size()) problem_ = "the disk is full?";
            std::fflush(file_);
        }
#ifdef VOSKAR_GZIP
        if (packed_ && !buffer_.empty()) {
            const auto size = static_cast<unsigned>(buffer_.size());
            if (gzwrite(packed_, buffer_.data(), size) != static_cast<int>(size)) problem_ = "the disk is full?";
            gzflush(packed_, Z_SYNC_FLUSH);
        }
#endif
        buffer_.clear();
    }
    void close() {
        flush();
        hang_up();
        if (file_) std::fclose(file_);
        file_ = nullptr;
#ifdef VOSKAR_GZIP
        if (packed_) gzclose(packed_);
        packed_ = nullptr;
#endif
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
    void table(const char* name, const Entries& entries) {
        if (entries.empty()) return;
        buffer_ += name;
        entries.write(buffer_);
    }
    void clear() {
        poses_.clear(); inputs_.clear(); claims_.clear(); display_.clear(); reset_.clear(); notes_.problems.clear();
    }
#ifdef VOSKAR_GZIP
    bool is_packed() const { return packed_ != nullptr; }
    gzFile packed_ = nullptr;
#else
    bool is_packed() const { return false; }
#endif
    std::FILE* file_ = nullptr;
    std::string buffer_, problem_, reset_;
    Notes notes_;
    Entries poses_, inputs_, claims_, display_;
    std::unordered_map<std::string, int> taken_;
    long frame_, dropped_ = 0, lost_ = 0;
    int socket_ = -1;
    double pause_ = 0.1;
    Clock::time_point flushed_ = Clock::now();
};

}  // namespace voskar
