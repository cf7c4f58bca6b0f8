// A bench with an instrument of each kind and a campaign put together from parts, for command tests.
#pragma once

#include <doctest/doctest.h>
#include <sqlite3.h>

#include <map>

#include "lab/tally/tally.hpp"
#include "tests/cli/program.hpp"
#include "tests/lab/bench_text.hpp"
#include "tests/lab/rechain.hpp"

struct Stand {
    TestFolder folder;
    std::string campaign_keys;     // in [campaign]
    std::string timeout = "20 s";  // of all instruments; short where one stays silent
    std::string tests;             // [[test]] and what follows
    std::string watches;
    std::string simulation;  // in [simulation] and further tables
    std::string paths;
    bool switched = false;                               // the supply is a switch without a voltage
    std::string wire_extra;                              // keys of the wire to the power meter
    std::string unit_extra;                              // further tables of the simulated unit
    std::string own_rules;                               // further rules of the book "own"
    std::map<std::string, std::string> instrument_keys;  // by role
    std::map<std::string, std::string> addresses;        // by role; simulated without
    std::map<std::string, std::string> dialects;         // by role; the shipped ones without

    // Packet counts at a level, optionally judged.
    static std::string counting(const std::string& name, const std::string& more) {
        return "[[test]]\nname = \"" + name +
               "\"\nprocedure = \"receiver.error-rate\"\ninstrument = \"counter\"\n"
               "parameters = { packets = \"100\" }\n"
               "settings = { \"generator.output\" = \"ON\", \"generator.frequency\" = \"1 GHz\" }\n" +
               more;
    }
    // The level of a line of the unit, judged against a bound of its own rulebook.
    static std::string scanning(const std::string& name, const std::string& more) {
        return "[[test]]\nname = \"" + name +
               "\"\nprocedure = \"emission.scan\"\nparameters = { start = \"1 MHz\", stop = \"2 MHz\", "
               "bandwidth "
               "= \"9 kHz\", dwell = \"100 us\", detector = \"peak\", points = \"101\" }\n" +
               more;
    }
    static std::string axis(const std::string& name, const std::string& rest) {
        return "[[test.sweep]]\naxis = \"" + name + "\"\n" + rest + "\n";
    }

    void write() const {
        std::string bench = "[bench]\nname = \"b\"\n";
        const auto add = [&](const std::string& role, const std::string& dialect, const std::string& port) {
            const auto address = addresses.find(role);
            const auto keys = instrument_keys.find(role);
            const std::string own = keys == instrument_keys.end() ? "" : keys->second;
            const auto spoken = dialects.find(role);
            bench += instrument_text(role, spoken == dialects.end() ? dialect : spoken->second, port,
                                     "impedance = \"50 ohm\"\nscan_bandwidth = \"40 MHz\"\ntimeout = \"" +
                                         timeout +
                                         "\"\n"
                                         "longest_move = \"1 s\"\n" +
                                         own,
                                     address == addresses.end() ? "simulated" : address->second);
        };
        add("analyser", "scpi-analyser", "out");
        add("generator", "scpi-generator", "in");
        add("attenuator", "scpi-attenuator", "");
        add("power-meter", "scpi-power-meter", "");
        add("counter", "scpi-counter", "in");
        add("table", "scpi-positioner", "");
        add("supply", "scpi-supply", "power");
        add("unit", "unit-control", "control");
        folder.write("bench.toml",
                     bench + paths + "[simulation]\nunit = \"unit.toml\"\ninstant = true\n" + simulation);
        folder.write(
            "unit.toml",
            "[unit]\nname = \"u\"\n[settings]\nstate = \"idle\"\nmode = \"a\"\n"
            "[[line]]\nport = \"out\"\nfrequency = \"1.5 MHz\"\nlevel = \"50 dBuV\"\n"
            "[[line]]\nport = \"out\"\nwhen = { state = \"loud\" }\nfrequency = \"1.2 MHz\"\nlevel = "
            "\"70 dBuV\"\n"
            "[[wire]]\nfrom = \"generator\"\nto = \"power-meter\"\nloss = \"2 dB\"\nat = \"1 GHz\"\n" +
                wire_extra +
                "[[wire]]\nfrom = \"generator\"\nto = \"in\"\nloss = \"2 dB\"\nat = \"1 GHz\"\n"
                "[[receiver]]\nport = \"in\"\nhalf = \"-90 dBm\"\nwidth = \"1 dB\"\npacket_bits = 100\n"
                "[[draw]]\ncurrent = \"40 mA\"\n"
                "[[draw]]\nwhen = { state = \"loud\" }\ncurrent = \"80 mA\"\n" +
                unit_extra);
        folder.write(
            "own.toml",
            "[rulebook]\nid = \"own\"\ntitle = \"own\"\nstandard = \"house rules\"\nedition = \"1\"\n"
            "basis = \"made up\"\n" +
                rule("loud", "highest_level", "dBuV", "max = \"60 dBuV\"") +
                rule("sensitivity", "sensitivity", "dBm", "max = \"-85 dBm\"") +
                rule("errors", "packet_error_ratio", "%", "max = \"1 %\"") +
                rule("loss", "loss", "dB", "max = \"3 dB\"") + own_rules);
        folder.write("campaign.toml",
                     "[campaign]\ntitle = \"t\"\nbench = \"bench.toml\"\nrulebooks = [\"own.toml\"]\n"
                     "settings = { " +
                         std::string(switched ? "" : "\"supply.voltage\" = \"5 V\", ") +
                         "\"supply.output\" = \"ON\" }\n" + campaign_keys +
                         "[unit]\nmaker = \"m\"\nmodel = \"Skerry-2\"\nserial = \"7\"\n" + tests + watches);
    }
    Said call(std::vector<std::string> arguments) const {
        write();
        return rare_tally(folder.path(), std::move(arguments));
    }
    Said run(std::vector<std::string> more = {}) const {
        more.insert(more.begin(), {"run", "campaign.toml", "--out", "run", "--no-live", "--no-report"});
        return call(std::move(more));
    }
    rt::lab::RunRecord record() const { return rt::lab::Tally::open(folder / "run").read(); }

    // A rule of the book "own" that bounds a result.
    static std::string rule(const std::string& id, const std::string& what, const std::string& unit,
                            const std::string& bound) {
        return "[[rule]]\nid = \"" + id + "\"\ntitle = \"" + id +
               "\"\nclause = \"1\"\nquantity = \"q\"\napplies_to = \"" + what + "\"\nunit = \"" + unit +
               "\"\nkind = \"bound\"\n" + bound + "\nconfidence = \"sure\"\n";
    }
};

inline std::vector<const rt::lab::EventRecord*> events(const rt::lab::RunRecord& run,
                                                       const std::string& kind) {
    std::vector<const rt::lab::EventRecord*> out;
    for (const auto& event : run.events) {
        if (event.kind == kind) out.push_back(&event);
    }
    return out;
}

inline std::vector<const rt::lab::PointRecord*> points(const rt::lab::RunRecord& run, rt::lab::PointKind kind,
                                                       const std::string& test = "") {
    std::vector<const rt::lab::PointRecord*> out;
    for (const auto& point : run.points) {
        if (point.kind == kind && (test.empty() || point.test == test)) out.push_back(&point);
    }
    return out;
}

// Changes a tally behind the program's back.
inline void alter(const std::filesystem::path& run, const std::string& sql) {
    sqlite3* database = nullptr;
    REQUIRE(sqlite3_open((run / rt::lab::tally_file).c_str(), &database) == SQLITE_OK);
    CHECK(sqlite3_exec(database, sql.c_str(), nullptr, nullptr, nullptr) == SQLITE_OK);
    sqlite3_close(database);
}

// A tally as a kill after point `last` leaves it.
inline void cut_off(const std::filesystem::path& run, std::size_t last) {
    const std::string after = " > " + std::to_string(last) + "; ";
    alter(run,
          "PRAGMA foreign_keys=OFF; DELETE FROM chain WHERE number >= (SELECT min(number) FROM chain WHERE "
          "kind = "
          "'point' AND CAST(key AS INTEGER)" +
              after.substr(0, after.size() - 2) + "); DELETE FROM finding WHERE point" + after +
              "DELETE FROM result WHERE point" + after + "DELETE FROM setting WHERE point" + after +
              "DELETE FROM remark WHERE point" + after + "DELETE FROM attachment WHERE point" + after +
              "DELETE FROM input WHERE point" + after + "DELETE FROM point WHERE position" + after +
              // What was written later, and what changed since.
              "DELETE FROM event WHERE CAST(number AS TEXT) NOT IN (SELECT key FROM chain WHERE kind = "
              "'event'); "
              "DELETE FROM calibration WHERE CAST(number AS TEXT) NOT IN (SELECT key FROM chain WHERE kind = "
              "'calibration'); "
              "DELETE FROM fact WHERE name NOT IN (SELECT key FROM chain WHERE kind = 'fact'); "
              "UPDATE fact SET value = (SELECT substr(text, 2) FROM chain WHERE kind = 'fact' AND key = name "
              "ORDER "
              "BY number DESC LIMIT 1);");
    rechain(run);
}
