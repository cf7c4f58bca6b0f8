// A way to exchange bytes with an instrument, whatever the wire. Every wait is bounded.
#pragma once

#include <chrono>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

#include "lab/model/address.hpp"

namespace rt::lab {

class Session {
  public:
    virtual ~Session() = default;

    virtual void write(std::string_view bytes) = 0;
    // Up to and without `end`; where the transport marks the ends of messages, to there, without an `end`
    // that stands last. Error(bench) after `timeout`, on a closed connection or beyond 64 MiB.
    std::string read_until(char end, std::chrono::milliseconds timeout);
    std::string read_exactly(std::size_t count, std::chrono::milliseconds timeout);
    void read_exactly_into(char* place, std::size_t count, std::chrono::milliseconds timeout);
    // Ends what the instrument is doing and forgets what is under way (device clear), where the transport
    // can.
    virtual void clear() { forget(); }
    // The status byte (IEEE 488.2, 11.2) read beside the message exchange; nothing where the transport
    // cannot.
    virtual std::optional<int> status() { return std::nullopt; }
    // True once after each service request that the instrument has sent.
    virtual bool service_requested() { return false; }

    // True where an answer that comes late is never taken for that of the next question.
    virtual bool discards_late() const { return false; }
    // True where clear() reaches the instrument.
    virtual bool clears() const { return false; }

    // Nobody else may use the instrument from now on; with a key, only those who give the same key. Throws
    // Error(bench) where the transport has no locks, and when somebody else keeps it longer than `timeout`.
    virtual void lock(const std::string& key, std::chrono::milliseconds timeout);
    virtual void unlock() {}
    // Gives the panel back to the operator, where the transport can (remote/local, IEEE 488.1).
    virtual void to_local() {}
    // A group execute trigger. Throws Error(bench) where the transport has none.
    virtual void trigger();

    // Whether something comes within `timeout`, without taking it; the session stays usable when nothing
    // does. True where the transport cannot tell.
    virtual bool answers(std::chrono::milliseconds) { return true; }

    // Whether answers() only looks: a wait may then be taken in parts, and be aborted between them.
    virtual bool looks_only() const { return false; }

    // What has come and was not taken; nothing when nothing comes within `timeout`. Throws Error(bench).
    std::string take_what_came(std::chrono::milliseconds timeout);
    std::size_t take_what_came(char* place, std::size_t count, std::chrono::milliseconds timeout);

    const std::string& peer() const { return peer_; }
    // Errors name the instrument by its role: "analyser at 192.0.2.7:5025 ...".
    virtual void name_peer(const std::string& role);

  protected:
    explicit Session(std::string peer) : peer_(std::move(peer)) {}
    // What has come; nothing at all when nothing comes within `timeout`. Throws Error(bench).
    virtual std::string read_some(std::chrono::milliseconds timeout, const char* doing) = 0;
    // The same straight to where it belongs: how many bytes came, at most `count`.
    virtual std::size_t read_into(char* place, std::size_t count, std::chrono::milliseconds timeout,
                                  const char* doing);
    // Tells that what has been read so far is a whole message.
    void message_ends() { ends_ = true; }
    // True for transports that tell so of every message.
    virtual bool marks_ends() const { return false; }
    // What was read besides, while looking whether anything comes.
    void keep(std::string_view bytes) { buffer_ += bytes; }
    bool has_kept() const { return kept() > 0 || ends_; }
    // An answer was taken as a whole.
    virtual void answered() {}
    // Forgets what has been read: a new exchange begins.
    void forget() {
        buffer_.clear();
        at_ = 0;
        ends_ = false;
    }
    [[noreturn]] void fail_timeout(std::chrono::milliseconds timeout, const char* doing) const;
    [[noreturn]] void fail_closed(const char* doing) const;

  private:
    void read_more(std::chrono::steady_clock::time_point deadline, std::chrono::milliseconds timeout,
                   const char* doing);

    // Returns when something comes or at the deadline; Aborted where that was asked for.
    void await(std::chrono::steady_clock::time_point deadline);
    std::string take(std::size_t count);
    std::size_t kept() const { return buffer_.size() - at_; }

    std::string peer_;
    std::string buffer_;
    std::size_t at_ = 0;  // so much of it is taken
    bool ends_ = false;   // the buffer ends with the end of a message
};

inline std::chrono::milliseconds to_milliseconds(double seconds) {
    return std::chrono::milliseconds(static_cast<long long>(seconds * 1000));
}

// Throws Error(input) for an address with nobody to talk to, Error(bench) when nobody answers in time.
std::unique_ptr<Session> open_session(const Address& address, std::chrono::milliseconds timeout);

}  // namespace rt::lab
