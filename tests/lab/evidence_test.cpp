#include <doctest/doctest.h>

#include <cstdlib>

#include "lab/report/convert.hpp"
#include "lab/tally/chain.hpp"
#include "lab/tally/evidence.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/folder.hpp"
#include "tests/lab/made_run.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

// Sets an environment variable for a while.
class With {
  public:
    With(const char* name, const std::string& value) : name_(name), before_(std::getenv(name)) {
        ::setenv(name, value.c_str(), 1);
    }
    ~With() { ::setenv(name_, before_.c_str(), 1); }
    With(const With&) = delete;
    With& operator=(const With&) = delete;

  private:
    const char* name_;
    std::string before_;
};

}  // namespace

TEST_CASE("an archive holds every file of the run, its list and its seal, and is not put into itself") {
    TestFolder folder;
    make_counted_run(folder / "run", {{"level", "SN", {1, 2}}});
    write_file(folder / "run/tally.lock", "");
    write_file(folder / "run/half.part", "x");
    const Evidence first = write_evidence(folder / "run", folder / "run/evidence.zip");
    CHECK(first.files == 3);  // the tally, where its chain ended, and the rulebook
    CHECK(first.seal == RunData(folder / "run").seal());
    CHECK(write_evidence(folder / "run", folder / "run/evidence.zip").files == 3);
    const std::string zip = read_file(folder / "run/evidence.zip");
    for (const char* name : {"run/tally.sqlite", "run/inputs/made.toml", "run/EVIDENCE.txt"})
        CHECK(zip.find(name) != std::string::npos);
    CHECK(zip.find("tally.lock") == std::string::npos);
    CHECK(zip.find("half.part") == std::string::npos);
    CHECK_FALSE(std::filesystem::exists(folder / "run/evidence.zip.part"));
}

TEST_CASE("no archive of a run that was altered, nor where it cannot be written") {
    TestFolder folder;
    make_counted_run(folder / "run", {{"level", "SN", {1}}});
    CHECK(error_text(ErrorKind::output, [&] {
              write_evidence(folder / "run", folder / "none/e.zip");
          }).find("cannot be written") != std::string::npos);
    write_file(folder / "run/inputs/made.toml", read_file(folder / "run/inputs/made.toml") + "\n");
    CHECK(input_error([&] {
              write_evidence(folder / "run", folder / "e.zip");
          }).find("is not as it was written (inputs/made.toml was altered") != std::string::npos);
    CHECK_FALSE(std::filesystem::exists(folder / "e.zip"));
}

TEST_CASE("converters that are missing or fail are named, and leave nothing behind") {
    TestFolder folder;
    folder.write("page.html", "<p>words</p><script>no</script>");
    {
        const With path("PATH", (folder / "nowhere").string());
        CHECK(error_text(ErrorKind::output, [&] {
                  write_pdf(folder / "page.html", folder / "page.pdf");
              }).find("install the package weasyprint") != std::string::npos);
        CHECK(error_text(ErrorKind::output, [&] {
                  write_document(folder / "page.html", folder / "page.odt");
              }).find("install the package pandoc") != std::string::npos);
    }
    folder.write("bin/pandoc", "#!/bin/sh\necho first >&2\necho 'pandoc: no such thing' >&2\nexit 3\n");
    std::filesystem::permissions(folder / "bin/pandoc", std::filesystem::perms::owner_all);
    const With path("PATH", (folder / "bin").string() + ":/usr/bin:/bin");
    CHECK(error_text(ErrorKind::output, [&] {
              write_document(folder / "page.html", folder / "page.odt");
          }).find("pandoc did not make an editable document: pandoc: no such thing") != std::string::npos);
    std::size_t left = 0;
    for (const auto& entry : std::filesystem::directory_iterator(folder.path()))
        left += entry.is_regular_file();
    CHECK(left == 1);
}
