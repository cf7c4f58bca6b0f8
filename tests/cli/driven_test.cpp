// A run that another program drives by lines of JSON.
#include <doctest/doctest.h>
#include <poll.h>

#include <chrono>
#include <nlohmann/json.hpp>

#include "tests/cli/stand.hpp"

using Json = nlohmann::json;

namespace {

// A client: lines out of the program, lines into it.
class Driver {
  public:
    Driver(const std::filesystem::path& folder, std::vector<std::string> arguments) {
        int in[2], out[2];
        REQUIRE(::pipe(in) == 0);
        REQUIRE(::pipe(out) == 0);
        child_ = ::fork();
        if (child_ == 0) {
            ::dup2(in[0], 0), ::dup2(out[1], 1);
            for (const int end : {in[0], in[1], out[0], out[1]}) ::close(end);
            const int quiet = ::open("/dev/null", O_WRONLY);
            ::dup2(quiet, 2);
            become(folder, binary(), std::move(arguments));
        }
        ::close(in[0]), ::close(out[1]);
        to_ = in[1], from_ = out[0];
    }
    ~Driver() {
        hang_up();
        ::close(from_);
        if (child_ > 0) ::kill(child_, SIGKILL), wait_for(child_);
    }

    // The next line; null at the end.
    Json next() {
        for (;;) {
            if (const auto end = text_.find('\n'); end != std::string::npos) {
                const Json line = Json::parse(text_.substr(0, end), nullptr, false);
                text_.erase(0, end + 1);
                REQUIRE(line.is_object());
                seen.push_back(line);
                return line;
            }
            pollfd entry{from_, POLLIN, 0};
            REQUIRE(::poll(&entry, 1, 60000) > 0);
            char chunk[4096];
            const auto count = ::read(from_, chunk, sizeof chunk);
            if (count <= 0) return nullptr;
            text_.append(chunk, static_cast<std::size_t>(count));
        }
    }
    // Up to one with this event.
    Json until(const std::string& event) {
        for (;;) {
            const Json line = next();
            if (line.is_null()) return line;
            if (line["event"] == event) return line;
        }
    }
    void say(const std::string& line) {
        const std::string all = line + "\n";
        REQUIRE(::write(to_, all.data(), all.size()) == static_cast<ssize_t>(all.size()));
    }
    void reply(const Json& request, const std::string& text) {
        say(Json{{"id", request["id"]}, {"reply", text}}.dump());
    }
    void hang_up() {
        if (to_ >= 0) ::close(to_);
        to_ = -1;
    }
    int end() {
        while (!next().is_null()) {
        }
        const int code = wait_for(child_);
        child_ = -1;
        return code;
    }
    std::size_t count(const std::string& event) const {
        return static_cast<std::size_t>(std::count_if(
            seen.begin(), seen.end(), [&](const Json& line) { return line["event"] == event; }));
    }

    std::vector<Json> seen;

  private:
    pid_t child_ = -1;
    int to_ = -1, from_ = -1;
    std::string text_;
};

const std::vector<std::string> driven{"run",      "campaign.toml", "--out",      "run",
                                      "--driven", "--no-live",     "--no-report"};

Stand three_points() {
    Stand stand;
    stand.tests =
        Stand::scanning("scan", "prompt = \"connect the unit\"\n" +
                                    Stand::axis("mode", "sets = [\"unit\"]\nvalues = [\"a\", \"b\"]")) +
        "[[test.judge]]\nrule = \"own/loud\"\n" + Stand::scanning("after", "");
    return stand;
}

}  // namespace

TEST_CASE("a program answers what a run asks, and is told every point with its verdicts") {
    Stand stand = three_points();
    stand.write();
    Driver driver(stand.folder.path(), driven);
    const Json begun = driver.until("begun");
    CHECK(begun["run"] == "run");
    const Json asked = driver.until("ask");
    CHECK(asked["kind"] == "prompt");
    CHECK(asked["name"] == "scan");
    CHECK(contains(asked["text"].get<std::string>(), "connect the unit"));
    driver.reply(asked, "perhaps");  // no reply that it takes: refused, and asked again
    CHECK(driver.until("refused")["line"] == "perhaps");
    const Json again = driver.until("ask");
    CHECK(again["id"] != asked["id"]);
    driver.reply(asked, "go");  // nothing waits for that any more
    CHECK(contains(driver.until("refused")["why"].get<std::string>(), "another id"));
    driver.say("nonsense");
    CHECK(contains(driver.until("refused")["why"].get<std::string>(), "no JSON object"));
    driver.reply(again, "go");
    const Json point = driver.until("point");
    CHECK(point["test"] == "scan");
    CHECK(point["axes"]["mode"] == "a");
    CHECK(point["findings"][0]["verdict"] == "PASS");
    CHECK(point["findings"][0]["rule"] == "own/loud");
    CHECK(point["results"].size() > 0);
    const Json finished = driver.until("finished");
    CHECK(finished["state"] == "complete");
    CHECK(finished["counts"]["PASS"] == 2);
    CHECK(driver.end() == 0);
    CHECK(driver.count("point") == 3);
    CHECK(driver.count("measuring") == 3);
    CHECK(stand.record().points.size() == 3);
}

TEST_CASE("a run is stopped or a test skipped by a command; where the driver goes it stops in good order") {
    Stand stand = three_points();
    stand.write();
    {
        Driver driver(stand.folder.path(), driven);
        driver.until("ask");
        driver.say("{\"command\": \"stop\"}");
        CHECK(driver.until("finished")["state"] == "stopped");
        CHECK(driver.end() == 4);
    }
    CHECK(stand.record().points.empty());
    {
        std::vector<std::string> resumed{"run", "--resume", "run", "--driven", "--no-live", "--no-report"};
        Driver driver(stand.folder.path(), resumed);
        driver.reply(driver.until("ask"), "skip");
        CHECK(driver.until("point")["test"] == "after");
        driver.hang_up();
        CHECK(driver.end() == 4);
    }
    CHECK(stand.record().points.size() == 1);
    {
        std::vector<std::string> resumed{"run", "--resume", "run", "--driven", "--no-live", "--no-report"};
        Driver driver(stand.folder.path(), resumed);
        driver.until("ask");
        driver.hang_up();  // before it has answered
        CHECK(driver.end() == 4);
    }
}

TEST_CASE("questions before a run are asked until the reply will do; errors are an event and an exit code") {
    Stand stand = three_points();
    stand.write();
    std::string campaign = rt::lab::read_file(stand.folder / "campaign.toml");
    campaign +=
        "\n[[question]]\nname = \"humidity\"\nask = \"How humid is it?\"\nkind = \"value\"\nmin = \"20 "
        "%\"\nmax = \"60 %\"\n";
    stand.folder.write("campaign.toml", campaign);
    {
        Driver driver(stand.folder.path(), driven);
        const Json question = driver.until("question");
        CHECK(question["name"] == "humidity");
        CHECK(question["refused"] == "");
        driver.reply(question, "very");
        const Json once_more = driver.until("question");
        CHECK_FALSE(once_more["refused"].get<std::string>().empty());
        driver.reply(once_more, "45 %");
        driver.reply(driver.until("ask"), "go");
        CHECK(driver.until("finished")["state"] == "complete");
        CHECK(driver.end() == 0);
    }
    // A folder that is there already is no run to begin.
    Driver driver(stand.folder.path(), driven);
    driver.reply(driver.until("question"), "45 %");
    CHECK(driver.end() == 2);
    CHECK(contains(rare_tally(stand.folder.path(), {"run", "campaign.toml", "--driven", "--json"}).err,
                   "goes with neither"));
}
