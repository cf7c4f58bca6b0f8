// Every reader with what was made up for it and kept: tests/fuzz/corpus holds inputs that once went wrong,
// tests/fuzz/seeds what they grew from. A reader gives an error of one line, or takes what it gets.
#include <doctest/doctest.h>

#include <algorithm>
#include <filesystem>
#include <vector>

#include "lab/formats/files.hpp"
#include "tests/fuzz/readers.hpp"

namespace fs = std::filesystem;

namespace {

std::vector<fs::path> inputs_of(const char* kept, const char* reader) {
    std::vector<fs::path> out;
    const fs::path folder = fs::path(RT_SOURCE) / "tests/fuzz" / kept / reader;
    if (fs::exists(folder))
        for (const auto& entry : fs::directory_iterator(folder)) out.push_back(entry.path());
    std::sort(out.begin(), out.end());
    return out;
}

}  // namespace

TEST_CASE("what was made up for the readers and kept: an error of one line, or taken") {
    std::size_t taken = 0;
    for (const auto& reader : fuzz::readers()) {
        for (const char* kept : {"corpus", "seeds"}) {
            for (const auto& input : inputs_of(kept, reader.name)) {
                CAPTURE(input.string());
                const std::string bytes = rt::lab::read_file(input);
                CHECK_NOTHROW(CHECK(fuzz::take(reader, bytes) == ""));
                ++taken;
            }
        }
    }
    CHECK(taken >= 40);
}

TEST_CASE(
    "every input of a reader cut off anywhere, and with an octet changed, is refused in one line or taken") {
    std::size_t taken = 0;
    for (const auto& reader : fuzz::readers()) {
        for (const auto& input : inputs_of("seeds", reader.name)) {
            CAPTURE(input.string());
            const std::string whole = rt::lab::read_file(input);
            const std::size_t step = std::max<std::size_t>(1, whole.size() / 40);
            for (std::size_t end = 0; end < whole.size(); end += step) {
                std::string changed = whole;
                changed[end] = static_cast<char>(changed[end] ^ (1 << end % 8));
                CHECK_NOTHROW(CHECK(fuzz::take(reader, whole.substr(0, end)) == ""));
                CHECK_NOTHROW(CHECK(fuzz::take(reader, changed) == ""));
                ++taken;
            }
        }
    }
    CHECK(taken >= 400);
}

TEST_CASE("conversations and a run that made-up bytes begin with are whole ones") {
    for (const auto& [reader, seed] :
         {std::pair{"hislip", "answers"}, {"vxi11", "answers"}, {"tally", "untouched"}}) {
        CAPTURE(reader);
        const std::string bytes =
            rt::lab::read_file(fs::path(RT_SOURCE) / "tests/fuzz/seeds" / reader / seed);
        CHECK_NOTHROW(fuzz::find_reader(reader)->read(bytes));
    }
}
