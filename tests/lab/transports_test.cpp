// The same tests over every way to reach an instrument, each against a simulated server of its own standard.
#include <doctest/doctest.h>

#include <atomic>
#include <chrono>
#include <thread>

#include "core/base/error.hpp"
#include "lab/session/hislip_session.hpp"
#include "lab/session/session.hpp"
#include "lab/simulate/serve/server.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/pty_peer.hpp"

using namespace rt;
using namespace rt::lab;
using std::chrono::milliseconds;

namespace {

// Says what it is told: "ECHO x" answers x; "BLOCK n" n bytes of all values; "REQUEST" wants service;
// "NOTHING?" answers nothing.
class Parrot : public SimulatedInstrument {
  public:
    std::optional<std::string> handle(std::string_view message) override {
        if (message == "*STB?") return std::to_string(status_.load());
        if (message.starts_with("ECHO? ")) return std::string(message.substr(6));
        if (message.starts_with("BLOCK? ")) {
            std::string bytes(std::stoul(std::string(message.substr(7))), '\0');
            for (std::size_t i = 0; i < bytes.size(); ++i) bytes[i] = static_cast<char>(i * 7 + i / 251);
            const std::string length = std::to_string(bytes.size());
            return "#" + std::to_string(length.size()) + length + bytes;
        }
        if (message.starts_with("LONG ")) return std::to_string(message.size());
        if (message == "REQUEST") status_ = 64;
        if (message == "CALM") status_ = 0;
        return std::nullopt;
    }
    void suffer(const PlannedFault&) override {}

  private:
    std::atomic<int> status_ = 0;
};

const Transport all[]{Transport::tcp,   Transport::hislip, Transport::hislip_overlapped,
                      Transport::vxi11, Transport::usb,    Transport::gpib};

struct Peer {
    explicit Peer(Transport transport, std::vector<PlannedFault> faults = {})
        : server(std::make_shared<Parrot>(), 0, transport, std::move(faults)) {}
    std::unique_ptr<Session> session(milliseconds timeout = milliseconds(5000)) {
        return open_session(server.place(), timeout);
    }
    InstrumentServer server;
};

std::string ask(Session& session, const std::string& text, milliseconds timeout = milliseconds(5000)) {
    session.write(text + "\n");
    return session.read_until('\n', timeout);
}

// A block of so many bytes comes whole, and its line end with it.
void check_block(Session& session, std::size_t size) {
    constexpr milliseconds wait(5000);
    session.write("BLOCK? " + std::to_string(size) + "\n");
    const std::string length = std::to_string(size);
    CHECK(session.read_exactly(2 + length.size(), wait) == "#" + std::to_string(length.size()) + length);
    const std::string bytes = session.read_exactly(size, wait);
    bool same = true;
    for (std::size_t i = 0; i < size; ++i) same = same && bytes[i] == static_cast<char>(i * 7 + i / 251);
    CHECK(same);
    session.read_until('\n', wait);
}

}  // namespace

TEST_CASE("every transport carries questions, answers and blocks with every byte") {
    for (const Transport transport : all) {
        CAPTURE(static_cast<int>(transport));
        Peer peer(transport);
        const auto session = peer.session();
        for (int i = 0; i < 50; ++i) CHECK(ask(*session, "ECHO? " + std::to_string(i)) == std::to_string(i));
        // Odd sizes, sizes beside the steps of 4 bytes of two standards, and beyond one message of each.
        for (const std::size_t size : {1, 2, 3, 5, 4096, 65535, 2500001}) {
            check_block(*session, size);
        }
        CHECK(ask(*session, "ECHO? after") == "after");
    }
}

TEST_CASE(
    "over every transport a silent instrument ends in a bounded wait, with role and what was waited for") {
    for (const Transport transport : all) {
        CAPTURE(static_cast<int>(transport));
        Peer peer(transport);
        const auto session = peer.session(milliseconds(2000));
        session->name_peer("analyser");
        const auto start = std::chrono::steady_clock::now();
        const std::string said =
            error_text(ErrorKind::bench, [&] { ask(*session, "NOTHING?", milliseconds(200)); });
        const auto passed = std::chrono::steady_clock::now() - start;
        CHECK(said.find("analyser at ") == 0);
        CHECK(said.find("did not answer within 0.2 s") != std::string::npos);
        CHECK(passed >= milliseconds(150));
        CHECK(passed < milliseconds(2500));
    }
}

TEST_CASE("what comes late is never taken for the next answer, or the session is over") {
    for (const Transport transport : all) {
        CAPTURE(static_cast<int>(transport));
        PlannedFault slow;
        slow.kind = "slow", slow.after = 1, slow.times = 1, slow.delay_s = 0.4;
        Peer peer(transport, {slow});
        const auto session = peer.session(milliseconds(3000));
        CHECK(ask(*session, "ECHO? first") == "first");
        // The second answer comes after the wait.
        std::string got;
        try {
            got = ask(*session, "ECHO? second", milliseconds(100));
        } catch (const Error&) {
            got = "nothing";
        }
        // Sending may itself wait for the instrument (VXI-11, USB): then the answer has come in time.
        CHECK((got == "nothing" || got == "second"));
        try {
            got = ask(*session, "ECHO? third");
        } catch (const Error&) {
            got = "closed";
        }
        CHECK((got == "third" || got == "closed"));
    }
}

TEST_CASE("a question that nobody answers leaves a session usable where it says so") {
    for (const Transport transport : all) {
        CAPTURE(static_cast<int>(transport));
        Peer peer(transport);
        const auto session = peer.session();
        session->write("NOTHING?\n");
        CHECK_FALSE(session->answers(milliseconds(100)));
        if (!session->discards_late() && session->clears()) session->clear();
        CHECK(ask(*session, "ECHO? next") == "next");
        session->write("ECHO? come\n");
        CHECK(session->answers(milliseconds(10000)));
        CHECK(session->read_until('\n', milliseconds(10000)) == "come");
    }
}

TEST_CASE("status byte, service request, clear, trigger and local where the standard has them") {
    for (const Transport transport : all) {
        CAPTURE(static_cast<int>(transport));
        if (transport == Transport::tcp) continue;
        Peer peer(transport);
        const auto session = peer.session();
        CHECK(session->status() == 0);
        CHECK_FALSE(session->service_requested());
        session->write("REQUEST\n");
        bool requested = transport == Transport::gpib;  // a converter tells when it is polled
        for (int i = 0; i < 200 && !requested; ++i) {
            requested = session->service_requested();
            std::this_thread::sleep_for(milliseconds(5));
        }
        CHECK(requested);
        CHECK(session->status() == 64);
        CHECK(session->clears());
        session->write("ECHO? old\n");
        session->clear();
        CHECK(ask(*session, "ECHO? new") == "new");
        session->trigger();
        session->to_local();
        CHECK(ask(*session, "ECHO? on") == "on");
    }
    Peer raw(Transport::tcp);
    const auto session = raw.session();
    CHECK(session->status() == std::nullopt);
    CHECK_FALSE(session->clears());
    CHECK(error_text(ErrorKind::bench, [&] { session->trigger(); }).find("has no trigger") !=
          std::string::npos);
    CHECK(error_text(ErrorKind::bench, [&] {
              session->lock("", milliseconds(10));
          }).find("cannot be locked") != std::string::npos);
}

TEST_CASE(
    "an exclusive lock keeps others out until it is given back, a shared one lets those in who have the "
    "key") {
    for (const Transport transport : {Transport::hislip, Transport::vxi11}) {
        CAPTURE(static_cast<int>(transport));
        Peer peer(transport);
        const auto mine = peer.session(), other = peer.session(milliseconds(300));
        mine->lock("", milliseconds(5000));
        CHECK(error_text(ErrorKind::bench, [&] {
                  other->lock("", milliseconds(100));
              }).find("locked by somebody else") != std::string::npos);
        CHECK(ask(*mine, "ECHO? mine") == "mine");
        CHECK_THROWS_AS(ask(*other, "ECHO? other", milliseconds(300)), Error);
        mine->unlock();
        const auto third = peer.session();
        third->lock("", milliseconds(5000));
        CHECK(ask(*third, "ECHO? third") == "third");
        third->unlock();
    }
    Peer peer(Transport::hislip);
    const auto one = peer.session(), two = peer.session(), three = peer.session();
    one->lock("team", milliseconds(5000));
    two->lock("team", milliseconds(5000));
    CHECK(ask(*one, "ECHO? 1") == "1");
    CHECK(ask(*two, "ECHO? 2") == "2");
    CHECK_THROWS_AS(three->lock("others", milliseconds(50)), Error);
    one->unlock(), two->unlock();
    three->lock("others", milliseconds(5000));
    CHECK(ask(*three, "ECHO? 3") == "3");
    Peer vxi(Transport::vxi11);
    const auto alone = vxi.session();
    CHECK_THROWS_AS(alone->lock("team", milliseconds(50)), Error);
}

TEST_CASE("a lock ends with its connection") {
    for (const Transport transport : {Transport::hislip, Transport::vxi11}) {
        CAPTURE(static_cast<int>(transport));
        Peer peer(transport);
        peer.session()->lock("", milliseconds(5000));
        const auto next = peer.session();
        next->lock("", milliseconds(5000));
        CHECK(ask(*next, "ECHO? free") == "free");
    }
}

TEST_CASE("a server that insists on overlapped mode is spoken to in it") {
    Peer peer(Transport::hislip_overlapped), calm(Transport::hislip);
    const auto overlapped = peer.session(), synchronised = calm.session();
    CHECK(dynamic_cast<HislipSession&>(*overlapped).overlapped());
    CHECK_FALSE(overlapped->discards_late());
    CHECK_FALSE(dynamic_cast<HislipSession&>(*synchronised).overlapped());
    CHECK(synchronised->discards_late());
}

TEST_CASE("two instruments behind one converter share its line from question to answer") {
    Peer peer(Transport::gpib);
    const Address place = peer.server.place();
    std::vector<std::jthread> threads;
    std::atomic<int> right = 0;
    for (int t = 0; t < 2; ++t) {
        threads.emplace_back([&, t] {
            const auto session = open_session(place, milliseconds(5000));
            for (int i = 0; i < 200; ++i) {
                const std::string word = std::to_string(1000 * t + i);
                right += ask(*session, "ECHO? " + word) == word;
            }
        });
    }
    threads.clear();
    CHECK(right == 400);
}

TEST_CASE("nobody there, another protocol, a wrong device: named, and in bounded time") {
    const auto start = std::chrono::steady_clock::now();
    Peer lines(Transport::tcp);
    const std::string port = lines.server.port();
    for (const std::string scheme : {"hislip://127.0.0.1:", "vxi11://127.0.0.1:"}) {
        CAPTURE(scheme);
        CHECK_THROWS_AS(open_session(parse_address(scheme + port), milliseconds(300)), Error);
        CHECK(error_text(ErrorKind::bench, [&] {
                  open_session(parse_address(scheme + "1"), milliseconds(300));
              }).find("127.0.0.1:1") != std::string::npos);
    }
    Peer vxi(Transport::vxi11);
    CHECK(error_text(ErrorKind::bench, [&] {
              open_session(parse_address("vxi11://127.0.0.1:" + vxi.server.port() + "/gpib0,9"),
                           milliseconds(500));
          }).find("no such device") != std::string::npos);
    CHECK(error_text(ErrorKind::bench, [] {
              open_session(parse_address("usb:dead:beef"), milliseconds(300));
          }).find("(") != 0);
    CHECK(std::chrono::steady_clock::now() - start < std::chrono::seconds(10));
}

TEST_CASE("serial lines and character devices carry the same, within what a line holds") {
    Parrot parrot;
    double delay_s = 0;
    PtyPeer far([&](const std::string& line) {
        std::this_thread::sleep_for(std::chrono::duration<double>(delay_s));
        const auto answer = parrot.handle(line);
        return answer ? *answer + "\n" : std::string();
    });
    for (const std::string& address : {"serial:" + far.name() + ",115200,8N1",
                                       "serial:" + far.name() + ",115200,8N1,xon", "device:" + far.name()}) {
        CAPTURE(address);
        const auto session = open_session(parse_address(address), milliseconds(3000));
        session->name_peer("supply");
        for (int i = 0; i < 20; ++i) CHECK(ask(*session, "ECHO? " + std::to_string(i)) == std::to_string(i));
        session->write("NOTHING?\n");
        CHECK_FALSE(session->answers(milliseconds(50)));
        session->write("ECHO? here\n");
        CHECK(session->answers(milliseconds(10000)));
        CHECK(session->read_until('\n', milliseconds(10000)) == "here");
        session->write("NOTHING?\n");
        CHECK(error_text(ErrorKind::bench, [&] {
                  session->read_until('\n', milliseconds(100));
              }).find("supply at ") == 0);
    }
    // Blocks of all bytes: not where two of them are flow control.
    for (const std::string& address : {"serial:" + far.name() + ",115200,8N1", "device:" + far.name()}) {
        const auto session = open_session(parse_address(address), milliseconds(5000));
        for (const std::size_t size : {1, 255, 4096, 65535}) {
            check_block(*session, size);
        }
    }
}
