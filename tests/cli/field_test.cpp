// Lists of measurements in the field, and the live page for a phone.
#include <arpa/inet.h>
#include <doctest/doctest.h>
#include <sys/socket.h>

#include <algorithm>

#include "lab/formats/files.hpp"
#include "lab/report/live_server.hpp"
#include "lab/tally/tally.hpp"
#include "tests/cli/typist.hpp"
#include "tests/expect_error.hpp"

namespace {

struct Visit {
    TestFolder folder;
    Visit() {
        for (const char* file : {"visit.toml", "bench.toml", "simulated-mast.toml"})
            folder.write(file, rt::lab::read_file(std::filesystem::path(RT_SOURCE) / "demo/field" / file));
    }
    void change(const char* file, const std::string& from, const std::string& to) {
        std::string text = rt::lab::read_file(folder / file);
        REQUIRE(text.find(from) != std::string::npos);
        text.replace(text.find(from), from.size(), to);
        folder.write(file, text);
    }
    Said go(std::vector<std::string> more = {"--unattended"}) const {
        more.insert(more.begin(), {"field", "visit.toml", "--out", "v", "--no-live"});
        return rare_tally(folder.path(), std::move(more));
    }
    Said typed(const std::vector<std::string>& lines) const {
        return at_terminal_lines(folder.path(), {"field", "visit.toml", "--out", "v", "--no-live"}, lines);
    }
    std::string readings() const { return rt::lab::read_file(folder / "v/readings.txt"); }
    rt::lab::RunRecord record() const { return rt::lab::Tally::open(folder / "v/run").read(); }
};

// What a browser at the loopback address would get.
std::string fetched(const std::string& link, const std::string& method = "GET") {
    const auto port_at = link.find(':', 7), path_at = link.find('/', port_at);
    const int socket = ::socket(AF_INET, SOCK_STREAM, 0);
    sockaddr_in address{};
    address.sin_family = AF_INET;
    address.sin_port =
        htons(static_cast<std::uint16_t>(std::stoi(link.substr(port_at + 1, path_at - port_at - 1))));
    ::inet_pton(AF_INET, "127.0.0.1", &address.sin_addr);
    REQUIRE(::connect(socket, reinterpret_cast<sockaddr*>(&address), sizeof address) == 0);
    const std::string request = method + " " + link.substr(path_at) + " HTTP/1.1\r\nHost: x\r\n\r\n";
    REQUIRE(::send(socket, request.data(), request.size(), 0) == static_cast<ssize_t>(request.size()));
    std::string out;
    char part[4096];
    for (ssize_t got; (got = ::recv(socket, part, sizeof part, 0)) > 0;)
        out.append(part, static_cast<std::size_t>(got));
    ::close(socket);
    return out;
}

}  // namespace

TEST_CASE("a list: one folder with a text, pictures and curves of each measurement") {
    const Visit visit;
    const Said said = visit.go();
    CHECK_MESSAGE(said.code == 0, (said.err + said.out));
    const std::string text = visit.readings();
    CHECK(contains(text, "Mast 4, yearly visit"));
    CHECK(contains(text, "owner       Northhaven Harbour Office"));
    CHECK(contains(text, "occupied bandwidth  15."));
    CHECK(contains(text, "PASS against list/02-1, limit 25 kHz"));
    for (const char* name : {"01-power-of-the-carrier-repeat-1", "01-power-of-the-carrier-repeat-3",
                             "02-occupied-bandwidth", "03-what-else-the-port-sends"}) {
        CAPTURE(name);
        CHECK(rt::lab::read_file(visit.folder / "v" / (std::string(name) + ".png")).starts_with("\x89PNG"));
        CHECK(contains(rt::lab::read_file(visit.folder / "v" / (std::string(name) + ".csv")), "trace,x,y"));
    }
    CHECK(lines(rt::lab::read_file(visit.folder / "v/results.csv")) == 1 + 3 * 3 + 1);
    // A run like any other.
    CHECK(rare_tally(visit.folder.path(), {"verify", "v/run"}).code == 0);
}

TEST_CASE(
    "at the terminal: asked where and who, texts before and after, measured again, left and carried on") {
    const Visit visit;
    // Site, number and technician, go, redo after the first, then it stands, then stop at the third's text.
    const Said said = visit.typed({"North mole", "M-4", "B. Quill", "", "redo", "", "stop"});
    CHECK(contains(said.out, "Connect the analyser to the test port of the mast."));
    CHECK(contains(said.out, "carry it on: rare-tally field visit.toml --out v"));
    const auto run = visit.record();
    CHECK(run.head.detail("model") == "North mole");
    CHECK(run.head.detail("serial") == "M-4");
    const auto of = [](const std::vector<rt::lab::PointRecord>& points) {
        return std::count_if(points.begin(), points.end(),
                             [](const auto& point) { return point.test == "01-power-of-the-carrier"; });
    };
    CHECK(of(run.superseded) == 3);
    CHECK(of(run.points) == 3);
    CHECK(contains(visit.readings(), "measured by B. Quill"));
    CHECK(contains(visit.readings(), "NOT COMPLETE"));
    // What was asked then is not asked again.
    const Said on = visit.typed({});
    CHECK(on.code == 0);
    CHECK_FALSE(contains(on.out, "North mole?"));
    CHECK_FALSE(contains(visit.readings(), "NOT COMPLETE"));
    CHECK(visit.record().points.size() == run.points.size());
}

TEST_CASE("a limit that is exceeded fails; what is skipped is said") {
    Visit visit;
    visit.change("visit.toml", "8 dBm <= channel_power <= 12 dBm", "channel_power <= 5 dBm");
    CHECK(visit.go().code == 1);
    CHECK(contains(visit.readings(), "FAIL against list/01-1, limit 5 dBm, margin -5"));
}

TEST_CASE("a list that is wrong says where, and leaves nothing behind") {
    Visit visit;
    visit.change("visit.toml", "occupied_bandwidth <= 25 kHz", "occupied_bandwidth <= much");
    const Said said = visit.go();
    CHECK(said.code == 2);
    CHECK(contains(said.err, "visit.toml:"));
    CHECK(contains(said.err, "limits"));
    CHECK_FALSE(std::filesystem::exists(visit.folder / "v"));
    Visit other;
    other.change("visit.toml", "procedure = \"spectrum.markers\"", "procedure = \"spectrum.marker\"");
    const Said unknown = other.go();
    CHECK(unknown.code == 2);
    CHECK(contains(unknown.err, "did you mean \"spectrum.markers\"?"));
    CHECK_FALSE(std::filesystem::exists(other.folder / "v/run"));
    CHECK(rare_tally(other.folder.path(), {"field"}).code == 2);
}

TEST_CASE("the live page is served to who knows its link, and to nobody else") {
    TestFolder folder;
    folder.write("live.html", "<p>12 of 40</p>");
    rt::lab::LiveServer server("127.0.0.1:0", folder / "live.html");
    const auto links = server.links();
    REQUIRE(links.size() == 1);
    CHECK(links[0].size() > 7 + 10 + 32);
    const std::string page = fetched(links[0]);
    CHECK(page.starts_with("HTTP/1.1 200"));
    CHECK(contains(page, "<p>12 of 40</p>"));
    CHECK(contains(page, "Cache-Control: no-store"));
    // Read anew each time.
    folder.write("live.html", "<p>13 of 40</p>");
    CHECK(contains(fetched(links[0]), "13 of 40"));
    const std::string beside = links[0].substr(0, links[0].find('/', 8));
    for (const std::string& wrong :
         {beside + "/", beside + "/live.html", links[0] + "0", links[0].substr(0, links[0].size() - 1),
          beside + "/../live.html", links[0] + "/../../etc/passwd"})
        CHECK_MESSAGE(fetched(wrong).starts_with("HTTP/1.1 404"), wrong);
    CHECK(fetched(links[0], "POST").starts_with("HTTP/1.1 404"));
    CHECK_FALSE(contains(fetched(links[0], "HEAD"), "13 of 40"));
    std::filesystem::remove(folder / "live.html");
    CHECK(fetched(links[0]).starts_with("HTTP/1.1 503"));
    // Another server has another link; a place that is taken, or none, is said.
    rt::lab::LiveServer second("127.0.0.1:0", folder / "live.html");
    CHECK(second.links()[0].substr(second.links()[0].rfind('/')) != links[0].substr(links[0].rfind('/')));
    const std::string place = beside.substr(7);
    CHECK(error_text(rt::ErrorKind::output, [&] {
              rt::lab::LiveServer third(place, "x");
          }).find("nobody can listen at") != std::string::npos);
    for (const char* wrong : {"8080", "here:80", "127.0.0.1:99999", "127.0.0.1:x"})
        CHECK(input_error([&] { rt::lab::LiveServer none(wrong, "x"); }).find("write an address") !=
              std::string::npos);
}

TEST_CASE("a run serves its live page on request only") {
    const Visit visit;
    const Said said = rare_tally(visit.folder.path(), {"field", "visit.toml", "--out", "v", "--unattended",
                                                       "--serve-live", "127.0.0.1:0"});
    CHECK(said.code == 0);
    CHECK(contains(said.err, "live page for a phone: http://127.0.0.1:"));
    const Said both = rare_tally(visit.folder.path(), {"field", "visit.toml", "--out", "w", "--unattended",
                                                       "--no-live", "--serve-live", "127.0.0.1:0"});
    CHECK(both.code == 2);
}
