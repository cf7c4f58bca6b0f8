// Sessions: HiSLIP, serial line, character device.
#include <doctest/doctest.h>
#include <fcntl.h>
#include <stdlib.h>
#include <termios.h>
#include <unistd.h>

#include <chrono>
#include <thread>

#include "core/base/error.hpp"
#include "lab/bench/acquire.hpp"
#include "lab/bench/hislip_session.hpp"
#include "lab/bench/session.hpp"
#include "lab/simulate/instruments/analyser.hpp"
#include "lab/simulate/server.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/fake_instrument.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
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

// A pseudo-terminal whose far end answers like a small instrument.
class PtyInstrument {
  public:
    PtyInstrument() : master_(::posix_openpt(O_RDWR | O_NOCTTY | O_CLOEXEC)) {
        if (master_ < 0 || ::grantpt(master_) != 0 || ::unlockpt(master_) != 0) return;
        name_ = ::ptsname(master_);
        // Raw from the start, and held open, so that nothing echoes and the far end never hangs up.
        slave_ = ::open(name_.c_str(), O_RDWR | O_NOCTTY | O_CLOEXEC);
        termios raw{};
        ::tcgetattr(slave_, &raw);
        ::cfmakeraw(&raw);
        ::tcsetattr(slave_, TCSANOW, &raw);
        ::fcntl(master_, F_SETFL, O_NONBLOCK);
        thread_ = std::jthread([this](std::stop_token stop) { serve(stop); });
    }
    ~PtyInstrument() {
        thread_.request_stop();
        if (thread_.joinable()) thread_.join();
        ::close(slave_);
        ::close(master_);
    }
    const std::string& name() const { return name_; }

  private:
    void serve(std::stop_token stop) {
        std::string line;
        while (!stop.stop_requested()) {
            char c = 0;
            if (::read(master_, &c, 1) != 1) {
                std::this_thread::sleep_for(milliseconds(1));
                continue;
            }
            if (c != '\n') {
                line += c;
                continue;
            }
            if (line == "*IDN?") say("Maker,Line,7,1\n");
            if (line == "BLOCK?") say("#15a\nb\x01\x7f\n");
            line.clear();
        }
    }
    void say(const std::string& text) {
        // In two parts: an answer need not come whole.
        [[maybe_unused]] auto a = ::write(master_, text.data(), 3);
        std::this_thread::sleep_for(milliseconds(5));
        [[maybe_unused]] auto b = ::write(master_, text.data() + 3, text.size() - 3);
    }

    int master_, slave_ = -1;
    std::string name_;
    std::jthread thread_;
};

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
    InstrumentRole over_socket(ScpiSession(instrument, raw.address()));
    InstrumentRole over_hislip(ScpiSession(instrument, hislip.address()));
    CHECK(over_hislip.identify() == over_socket.identify());
    CHECK(sweep(over_hislip, setup).level == sweep(over_socket, setup).level);
}

TEST_CASE("HiSLIP: device clear, status byte and service request") {
    TestFolder folder;
    const auto server = analyser_over(folder, Transport::hislip);
    HislipSession session("127.0.0.1", server.port(), "hislip0", milliseconds(2000));
    session.write("*IDN?\n");
    session.clear();  // the answer that nobody read is gone, and the counting of messages begins again
    session.write("*OPC?\n");
    CHECK(session.read_until('\n', milliseconds(2000)) == "1");
    // An answer that was not read does not stand before the next one.
    session.write("*IDN?\n");
    session.write("SYST:VERS?\n");
    CHECK(session.read_until('\n', milliseconds(2000)) == "1999.0");
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
    CHECK(session.read_until('\n', milliseconds(2000)) == "-113,\"Undefined header\"");
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
    PtyInstrument far;
    if (far.name().empty()) {
        MESSAGE("no pseudo-terminals here: not tested");
        return;
    }
    for (const std::string& address : {"serial:" + far.name() + ",115200,8N1", "device:" + far.name()}) {
        CAPTURE(address);
        const auto session = open_session(address, milliseconds(1000));
        session->write("*IDN?\n");
        CHECK(session->read_until('\n', milliseconds(1000)) == "Maker,Line,7,1");
        session->write("BLOCK?\n");
        CHECK(session->read_exactly(8, milliseconds(1000)) == "#15a\nb\x01\x7f");
        CHECK(session->read_until('\n', milliseconds(1000)).empty());
        session->write("SILENCE?\n");
        CHECK(error_text(ErrorKind::bench, [&] {
                  session->read_until('\n', milliseconds(200));
              }).find("did not answer within 0.2 s") != std::string::npos);
        CHECK_FALSE(session->status());
    }
}

TEST_CASE("a device that is not there is named") {
    CHECK(error_text(ErrorKind::bench, [] {
              open_session("device:/dev/no-such-thing", milliseconds(100));
          }) == "instrument at /dev/no-such-thing: No such file or directory (opening the device)");
    CHECK(error_text(ErrorKind::bench, [] {
              open_session("serial:/dev/no-such-thing", milliseconds(100));
          }).find("(opening the serial line)") != std::string::npos);
    CHECK(input_error([] { open_session("by hand", milliseconds(100)); }).find("nobody to talk to") !=
          std::string::npos);
}
