// Every block of the tutorial, in order, as a newcomer types them.
#include <doctest/doctest.h>

#include "tests/cli/program.hpp"

TEST_CASE("the tutorial works as it stands") {
    const std::string page = rt::lab::read_file(std::filesystem::path(RT_SOURCE) / "docs/tutorial.md");
    TestFolder folder;
    std::string here = folder.path().string();
    std::size_t blocks = 0;
    const std::string open = "```sh";
    for (std::size_t at = page.find(open); at != std::string::npos; at = page.find(open, at)) {
        const std::size_t begin = page.find('\n', at) + 1, end = page.find("```", begin);
        const std::string head = page.substr(at, begin - at), block = page.substr(begin, end - begin);
        at = end + 3;
        const auto mark = head.find("exit=");
        const int wanted = mark == std::string::npos ? 0 : head[mark + 5] - '0';
        const std::string where = (folder / "where").string(),
                          bin = std::filesystem::path(binary()).parent_path().string();
        const std::string script =
            "PATH=" + bin + ":$PATH\ncd '" + here + "'\ntrap 'pwd > " + where + "' EXIT\n" + block;
        const Said said = run_in(folder.path(), "/bin/bash", {"-ec", script});
        CAPTURE(block);
        CHECK_MESSAGE(said.code == wanted, (said.out + said.err));
        here = rt::lab::read_file(where);
        here.erase(here.find_last_not_of('\n') + 1);
        ++blocks;
    }
    CHECK(blocks >= 10);
    CHECK(here == (folder / "buoy").string());
    // Where it leads: a report that says who signed the rules.
    const std::string report = rt::lab::read_file(folder / "buoy/signed/report/report.html");
    CHECK(contains(report, "A. Marsh"));
    CHECK(contains(report, "copy 7, 2019 edition"));
}
