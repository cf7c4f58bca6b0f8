// Sessions: HiSLIP, serial line, character device.
#include <doctest/doctest.h>
#include <fcntl.h>
#include <stdlib.h>
#include <termios.h>
#include <unistd.h>

#include <chrono>
#include <thread>

#include "core/base/error.hpp"
#include "lab/bench/instrument_role.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/session/abort.hpp"
#include "lab/session/hislip_session.hpp"
#include "lab/session/session.hpp"
#include "lab/simulate/instruments/analyser.hpp"
#include "lab/simulate/serve/server.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/fake_instrument.hpp"
#include "tests/lab/folder.hpp"
#include "tests/lab/pty_peer.hpp"

using namespace rt;
using namespace rt::lab;
using std::chrono::milliseconds;

namespace {

std::shared_ptr<Stage> quiet_stage(const TestFolder& folder) {
    const auto file = folder.write("unit.toml",
                                   "[unit]\nname = \"u\"\n[settings]\nstate = \"idle\"\n"
                                   "[[line]]\nport = \"p\"\nfrequency = \"1 MHz\"\nlevel = \"60 dBuV\"\n");
    return std::make_shared<Stage>(std::make_shared<SimulatedUnit>(file), Stage::Options{1, true, false});
}

InstrumentServer analyser_over(const TestFolder& folder, Transport transport) {
    return InstrumentServer(
        std::make_shared<SimulatedAnalyser>(quiet_stage(folder), SimulatedAnalyser::Options{"p"}), 0,
        transport);
}

int connected_to(const std::string& port) {
    const int socket = ::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
    const sockaddr_in address = loopback(static_cast<std::uint16_t>(std::stoi(port)));
    REQUIRE(::connect(socket, reinterpret_cast<const sockaddr*>(&address), sizeof address) == 0);
    return socket;
}

// A HiSLIP server that sends its answer as Data, and the end of it as an empty DataEND a while later.
class LateEnd {
  public:
    LateEnd() {
        const auto [listener, port] = loopback_listener();
        listener_ = listener, port_ = std::to_string(port);
        thread_ = std::jthread([this] {
            const int sync = ::accept(listener_, nullptr, nullptr);
            std::jthread first([sync] { serve(sync); });
            const int async = ::accept(listener_, nullptr, nullptr);
            serve(async);
        });
    }
    ~LateEnd() {
        thread_.join();  // the client is gone by then
        ::close(listener_);
    }
    const std::string& port() const { return port_; }

  private:
    static void serve(int socket) {
        const auto take = [&](std::size_t count) {
            std::string out(count, 0);
            std::size_t have = 0;
            while (have < count) {
                const auto n = ::read(socket, out.data() + have, count - have);
                if (n <= 0) return std::string();
                have += static_cast<std::size_t>(n);
            }
            return out;
        };
        const auto say = [&](hislip::Type type, std::uint32_t parameter, const std::string& payload) {
            const std::string text = hislip::message(type, 0, parameter, payload);
            [[maybe_unused]] auto sent = ::write(socket, text.data(), text.size());
        };
        for (std::string head = take(hislip::header_size); !head.empty(); head = take(hislip::header_size)) {
            hislip::Header header;
            if (!hislip::parse(head, header)) break;
            const std::string body = header.length ? take(header.length) : "";
            const std::uint32_t id = header.parameter;
            switch (header.type) {
                case hislip::Type::initialize:
                    say(hislip::Type::initialize_response, 0x01000001, "");
                    break;
                case hislip::Type::async_initialize:
                    say(hislip::Type::async_initialize_response, 0, "");
                    break;
                case hislip::Type::async_maximum_message_size:
                    say(hislip::Type::async_maximum_message_size_response, 0,
                        std::string("\0\0\0\0\0\x10\0\0", 8));
                    break;
                case hislip::Type::data_end:
                    say(hislip::Type::data, id, body.substr(0, body.find('?')) + "\n");
                    std::this_thread::sleep_for(milliseconds(30));
                    say(hislip::Type::data_end, id, "");
                    break;
                default:
                    break;
            }
        }
        ::close(socket);
    }

    int listener_ = -1;
    std::string port_;
    std::jthread thread_;
};

// A small instrument at a serial line.
std::string small(const std::string& line) {
    return line == "*IDN?" ? "Maker,Line,7,1\n" : line == "BLOCK?" ? std::string("#15a\nb\x01\x7f\n") : "";
}

}  // namespace

TEST_CASE("over HiSLIP an analyser gives the trace that it gives over a raw socket") {
    TestFolder folder;
    const auto raw = analyser_over(folder, Transport::tcp), hislip = analyser_over(folder, Transport::hislip);
    CHECK(hislip.address().starts_with("hislip://127.0.0.1:"));
    FakeInstrument spare([](const auto&) { return ""; });
    const Instrument instrument = spare.instrument();
    SpectrumSetup setup;
    setup.start_hz = 0.9e6, setup.stop_hz = 1.1e6, setup.points = 2001, setup.resolution_bandwidth_hz = 9e3;
    setup.dwell_s = 1e-3, setup.unit = Unit::dbuv, setup.reference_level = Quantity{-20, Unit::dbm};
    InstrumentRole over_socket(ScpiSession(instrument, raw.place()));
    InstrumentRole over_hislip(ScpiSession(instrument, hislip.place()));
    CHECK(over_hislip.identify() == over_socket.identify());
    CHECK(sweep(over_hislip, setup).level == sweep(over_socket, setup).level);
}

TEST_CASE("HiSLIP: device clear, status byte and service request") {
    TestFolder folder;
    const auto server = analyser_over(folder, Transport::hislip);
    HislipSession session("127.0.0.1", server.port(), "hislip0", milliseconds(10000));
    session.write("*IDN?\n");
    session.clear();  // the answer that nobody read is gone, and the counting of messages begins again
    session.write("*OPC?\n");
    CHECK(session.read_until('\n', milliseconds(10000)) == "1");
    // An answer that was not read does not stand before the next one.
    session.write("*IDN?\n");
    session.write("SYST:VERS?\n");
    CHECK(session.read_until('\n', milliseconds(10000)) == "1999.0");
    CHECK(session.status() == 0);
    CHECK_FALSE(session.service_requested());
    // Command errors (bit 5 of the event register) are to request service.
    session.write("*CLS;*ESE 32;*SRE 32\n");
    session.write("NONSENSE\n");
    for (int i = 0; i < 200 && session.status() != 96; ++i) std::this_thread::sleep_for(milliseconds(5));
    CHECK(session.status() == 96);
    CHECK(session.service_requested());
    CHECK_FALSE(session.service_requested());
    session.write("SYST:ERR?\n");
    CHECK(session.read_until('\n', milliseconds(10000)) == "-113,\"Undefined header\"");
}

TEST_CASE("over HiSLIP the end of a message decides, not a line feed") {
    LateEnd server;
    HislipSession session("127.0.0.1", server.port(), "hislip0", milliseconds(10000));
    for (const char* word : {"A", "B", "C"}) {
        session.write(std::string(word) + "?\n");
        CHECK(session.read_until('\n', milliseconds(10000)) == word);
    }
}

TEST_CASE("a simulated instrument does not listen to a browser") {
    TestFolder folder;
    const auto server = analyser_over(folder, Transport::tcp);
    const auto answer = [&](const std::string& text) {
        const int socket = connected_to(server.port());
        [[maybe_unused]] auto sent = ::write(socket, text.data(), text.size());
        ::shutdown(socket, SHUT_WR);
        std::string out;
        char c = 0;
        while (::read(socket, &c, 1) == 1) out += c;
        ::close(socket);
        return out;
    };
    CHECK(answer("POST / HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n*IDN?\n") == "");
    CHECK(answer("*IDN?\n") != "");
}

TEST_CASE("something that is no HiSLIP server, or falls silent, ends in one error") {
    FakeInstrument lines([](const std::string&) { return "no header at all, sorry\n"; });
    CHECK(error_text(ErrorKind::bench, [&] {
              HislipSession("127.0.0.1", lines.port(), "hislip0\n", milliseconds(300));
          }).find("sent something that is no HiSLIP message") != std::string::npos);
    FakeInstrument silent([](const std::string&) { return ""; });
    const auto start = std::chrono::steady_clock::now();
    CHECK(error_text(ErrorKind::bench, [&] {
              HislipSession("127.0.0.1", silent.port(), "hislip0", milliseconds(300));
          }).find("did not answer within 0.3 s") != std::string::npos);
    CHECK(std::chrono::steady_clock::now() - start < std::chrono::seconds(5));
}

TEST_CASE("a serial line and a character device exchange lines and blocks") {
    PtyPeer far(small);
    if (far.name().empty()) {
        MESSAGE("no pseudo-terminals here: not tested");
        return;
    }
    for (const std::string& address : {"serial:" + far.name() + ",115200,8N1", "device:" + far.name()}) {
        CAPTURE(address);
        const auto session = open_session(parse_address(address), milliseconds(10000));
        session->write("*IDN?\n");
        CHECK(session->read_until('\n', milliseconds(10000)) == "Maker,Line,7,1");
        session->write("BLOCK?\n");
        CHECK(session->read_exactly(8, milliseconds(10000)) == "#15a\nb\x01\x7f");
        CHECK(session->read_until('\n', milliseconds(10000)).empty());
        session->write("SILENCE?\n");
        CHECK(error_text(ErrorKind::bench, [&] {
                  session->read_until('\n', milliseconds(200));
              }).find("did not answer within 0.2 s") != std::string::npos);
        CHECK_FALSE(session->status());
    }
}

TEST_CASE("a device that is not there is named") {
    CHECK(error_text(ErrorKind::bench, [] {
              open_session(parse_address("device:/dev/no-such-thing"), milliseconds(100));
          }) == "instrument at /dev/no-such-thing: No such file or directory (opening the device)");
    CHECK(error_text(ErrorKind::bench, [] {
              open_session(parse_address("serial:/dev/no-such-thing"), milliseconds(100));
          }).find("(opening the serial line)") != std::string::npos);
    CHECK(input_error([] {
              open_session(parse_address("by hand"), milliseconds(100));
          }).find("nobody to talk to") != std::string::npos);
}

TEST_CASE("a wait for an instrument can be aborted, where it may be, and only once for each request") {
    const auto [listener, port] = loopback_listener();
    const auto session =
        open_session(parse_address("tcp://127.0.0.1:" + std::to_string(port)), milliseconds(2000));
    const auto wait = [&](milliseconds longest) {
        const auto begun = std::chrono::steady_clock::now();
        bool aborted = false;
        try {
            session->read_until('\n', longest);
        } catch (const Aborted&) {
            aborted = true;
        } catch (const Error&) {
        }
        return std::pair(aborted, std::chrono::steady_clock::now() - begun);
    };
    {
        const Abortable here;
        std::jthread operator_thread([] {
            std::this_thread::sleep_for(milliseconds(150));
            request_abort();
        });
        const auto [aborted, took] = wait(milliseconds(60000));
        CHECK(aborted);
        CHECK(took < std::chrono::seconds(30));
        // Heeded: the next wait runs to its own end.
        CHECK_FALSE(wait(milliseconds(100)).first);
    }
    request_abort();
    CHECK_FALSE(wait(milliseconds(50)).first);  // nobody here may be aborted
    forget_abort();
    const Abortable again;
    CHECK_FALSE(wait(milliseconds(50)).first);
    ::close(listener);
}
