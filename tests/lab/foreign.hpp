// An instrument with a dialect of its own, scripted.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "lab/bench/instrument_role.hpp"
#include "lab/formats/dialect_file.hpp"
#include "lab/formats/input_files.hpp"
#include "tests/lab/fake_instrument.hpp"
#include "tests/lab/folder.hpp"

namespace foreign {

using namespace rt;
using namespace rt::lab;

inline bool has(const std::string& line, const char* part) {
    return line.find(part) != std::string::npos;
}

// A shipped dialect changed by `more`, and an instrument that answers by `special` first.
struct Foreign {
    TestFolder folder;
    std::function<std::string(const std::string&)> special;
    std::vector<std::string> heard;
    Remembered set;
    FakeInstrument fake;
    Instrument instrument;

    Foreign(const std::string& base, const std::string& more,
            std::function<std::string(const std::string&)> answers, const std::string& head = "")
        : special(std::move(answers)),
          fake([this](const std::string& line) { return reply(line); }),
          instrument(fake.instrument()) {
        const DiskFiles files(std::filesystem::path(RT_SOURCE) / "dialects");
        const auto kind = read_dialect(files.find("dialect", base, "")).kind->name;
        instrument.dialect = read_dialect(
            folder.write("own.toml", "[dialect]\nid = \"own\"\ntitle = \"own\"\nkind = \"" +
                                         std::string(kind) + "\"\nlike = \"" + base + "\"\n" + head + more),
            &files);
        instrument.role = "foreign";
    }
    InstrumentRole role() {
        return InstrumentRole(ScpiSession(instrument, parse_address(instrument.address)));
    }

  private:
    std::string reply(const std::string& line) {
        heard.push_back(line);
        const std::string own = special(line);
        if (!own.empty()) return own;
        if (has(line, "ESR?") || has(line, "QUES")) return "0\n";
        if (has(line, "*IDN?")) return "made,up,1,1\n";
        if (has(line, "OPC?")) return "1\n";
        if (has(line, "ERRor")) return "0,\"No error\"\n";
        if (has(line, "TIME:STEP")) return "1E-6\n";
        return set.reply(line);
    }
};

}  // namespace foreign
