// Small campaign, bench and unit files for command tests.
#pragma once

#include "tests/cli/program.hpp"

// A folder with a campaign of two quick points on a simulated bench; parts can be exchanged.
struct World {
    TestFolder folder;
    std::string head = "[campaign]\ntitle = \"small\"\nbench = \"bench.toml\"\n";
    std::string unit = "[unit]\nmaker = \"Northhaven Tidework\"\nmodel = \"Skerry-2\"\nserial = \"7\"\n";
    std::string test =
        "[[test]]\nname = \"scan\"\nprocedure = \"emission.scan\"\n"
        "parameters = { start = \"1 MHz\", stop = \"2 MHz\", bandwidth = \"9 kHz\", dwell = \"100 us\", "
        "detector = \"peak\" }\n";
    std::string judge = "[[test.judge]]\nrule = \"cispr-32/mains-b-qp\"\nallow_partial = true\n";
    std::string sweep = "[[test.sweep]]\naxis = \"state\"\nvalues = [\"idle\", \"on\"]\nsets = [\"unit\"]\n";
    std::string analyser = "address = \"simulated\"\n";
    std::string simulation = "[simulation]\nunit = \"unit.toml\"\ninstant = true\n";
    std::string timeout = "20 s";  // a loaded machine is slow; short where an instrument stays silent
    double line_dbuv = 40;

    void write() const {
        folder.write("campaign.toml", head + unit + test + judge + sweep);
        folder.write(
            "bench.toml",
            "[bench]\nname = \"b\"\n[[instrument]]\nrole = \"analyser\"\nname = \"a\"\ndialect = "
            "\"scpi-analyser\"\n"
            "connected_to = \"p\"\nimpedance = \"50 ohm\"\nscan_bandwidth = \"40 MHz\"\ntimeout = \"" +
                timeout + "\"\n" + analyser +
                "[[instrument]]\nrole = \"unit\"\nname = \"u\"\ndialect = \"unit-control\"\naddress "
                "= \"simulated\"\n" +
                simulation);
        folder.write("unit.toml",
                     "[unit]\nname = \"u\"\n[settings]\nstate = \"idle\"\n[[line]]\nport = \"p\"\nwhen = { "
                     "state = \"on\" }\n"
                     "frequency = \"1.5 MHz\"\nlevel = \"" +
                         std::to_string(line_dbuv) + " dBuV\"\n");
    }
    Said call(std::vector<std::string> arguments) const {
        write();
        return rare_tally(folder.path(), std::move(arguments));
    }
    Said check() const { return call({"check", "campaign.toml"}); }
    Said run() const { return call({"run", "campaign.toml", "--out", "run"}); }
};
