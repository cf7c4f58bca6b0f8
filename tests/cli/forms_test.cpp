// Whole campaigns with data in every form that instruments have, with ends that show by a service request,
// with several channels and with a switch: each comes to what the shipped dialect comes to.
#include <doctest/doctest.h>

#include "tests/about.hpp"
#include "tests/cli/stand.hpp"

namespace {

struct Form {
    const char* prepare;
    const char* data;
    double tolerance_db;  // of the steps of whole numbers over the 70 dB of the trace
};

Stand scan_with(const std::string& dialect, const std::string& address = "simulated") {
    Stand stand;
    stand.tests = Stand::scanning("scan", "settings = { \"unit.state\" = \"loud\" }\nrepeats = 2\n") +
                  "[[test.judge]]\nrule = \"own/loud\"\n";
    stand.folder.write(
        "mine.toml",
        "[dialect]\nid = \"mine\"\ntitle = \"m\"\nkind = \"analyser\"\nlike = \"scpi-analyser\"\n" + dialect);
    stand.dialects["analyser"] = "mine.toml";
    stand.addresses["analyser"] = address;
    return stand;
}

double highest(const Stand& stand) {
    const auto run = stand.record();
    REQUIRE(run.points.size() == 2);
    const auto* result = run.points[1].find_result("highest_level");
    REQUIRE(result);
    return result->value.value;
}

}  // namespace

TEST_CASE("every form of data comes to the same result in a campaign") {
    const std::string head =
        "[commands]\nquery_format = \"\"\nquery_byte_order = \"\"\nquery_preamble = \"FORMat:PREamble?\"\n";
    const std::string scale = "scale = { points = 1, increment = 2, origin = 3, reference = 4 }\n";
    const Form forms[]{
        {"FORMat:DATA ASCii", "form = \"ascii\"\n", 1e-9},
        {"FORMat:DATA REAL,64;:FORMat:BORDer NORMal", "form = \"real64\"\norder = \"big\"\n", 1e-9},
        {"FORMat:DATA REAL,32;:FORMat:BORDer NORMal", "form = \"real32\"\norder = \"big\"\n", 1e-4},
        {"FORMat:DATA REAL,32;:FORMat:BORDer SWAPped", "form = \"real32\"\n", 1e-4},
        {"FORMat:DATA REAL,32;:FORMat:BLOCk:ENDLess ON;:FORMat:BORDer SWAPped", "form = \"real32\"\n", 1e-4},
        {"FORMat:DATA INTeger,32;:FORMat:BORDer NORMal", "form = \"int32\"\norder = \"big\"\n", 1e-4},
        {"FORMat:DATA INTeger,16;:FORMat:BORDer SWAPped", "form = \"int16\"\norder = \"little\"\n", 0.01},
        {"FORMat:DATA INTeger,16;:FORMat:BLOCk:ENDLess ON;:FORMat:BORDer NORMal",
         "form = \"int16\"\norder = \"big\"\n", 0.01},
        {"FORMat:DATA INTeger,8", "form = \"int8\"\n", 0.5}};
    Stand plain;
    plain.tests = scan_with("").tests;
    CHECK(plain.run().code == 1);
    const double truth = highest(plain);
    for (const Form& form : forms) {
        CAPTURE(form.prepare);
        const std::string data = form.data;
        const bool whole = data.find("int") != std::string::npos;
        const Stand stand = scan_with(head + "prepare = \"*RST;:" + form.prepare +
                                      "\"\n[[data]]\nfor = [\"read_trace\"]\n" + data + (whole ? scale : ""));
        const Said said = stand.run();
        CHECK_MESSAGE(said.code == 1, said.err);
        CHECK(highest(stand) == within(form.tolerance_db, truth));
        CHECK(rare_tally(stand.folder.path(), {"judge", "run"}).code == 1);
    }
}

TEST_CASE("the wrong order of bytes of whole numbers is found when the instrument can be asked") {
    const Stand stand = scan_with(
        "[commands]\nquery_format = \"\"\nquery_preamble = \"FORMat:PREamble?\"\nprepare = "
        "\"*RST;:FORMat:DATA "
        "INTeger,16;:FORMat:BORDer SWAPped\"\n[[data]]\nfor = [\"read_trace\"]\nform = \"int16\"\norder = "
        "\"big\"\nsays_order = "
        "\"NORMal\"\nscale = { points = 1, increment = 2, origin = 3, reference = 4 }\n");
    CHECK(stand.run().code == 4);
    CHECK(contains(stand.record().points[0].invalid, "byte order"));
}

TEST_CASE("the end of a sweep shows by a service request, over each transport that carries one") {
    for (const std::string transport : {"hislip", "vxi11", "usb", "gpib"}) {
        CAPTURE(transport);
        Stand stand = scan_with(
            "[commands]\nprepare = \"*RST;:INITiate:CONTinuous OFF;:FORMat:DATA REAL,64;:FORMat:BORDer "
            "SWAPped;*ESE 1;*SRE "
            "32\"\nsweep = \"INITiate:IMMediate;*OPC\"\nquery_power_on = \"\"\n[[done]]\ncommand = "
            "\"sweep\"\nservice_request = "
            "true\nask = \"*ESR?\"\nbits = 1\nwhen = \"set\"\nevery = \"2 ms\"\n",
            "simulated:" + transport);
        const Said said = stand.run();
        CHECK_MESSAGE(said.code == 1, said.err);
        CHECK(stand.record().counts().fail == 2);
    }
    const Stand raw = scan_with(
        "[commands]\nsweep = \"INITiate:IMMediate;*OPC\"\n[[done]]\ncommand = \"sweep\"\nservice_request = "
        "true\n");
    const Said said = raw.run();
    CHECK(said.code == 2);
    CHECK(contains(said.err, "neither a raw socket nor a serial line carries"));
}

TEST_CASE("all transports in one campaign come to the same results") {
    Stand plain;
    plain.tests = scan_with("").tests;
    plain.run();
    const double truth = highest(plain);
    for (const std::string transport : {"hislip", "vxi11", "usb", "gpib"}) {
        CAPTURE(transport);
        Stand stand;
        stand.tests = plain.tests;
        for (const char* role : {"analyser", "supply", "unit"})
            stand.addresses[role] = "simulated:" + transport;
        const Said said = stand.run();
        CHECK_MESSAGE(said.code == 1, said.err);
        CHECK(highest(stand) == truth);
    }
}

TEST_CASE("settings of several instruments are begun before any of them is waited for") {
    Stand stand;
    stand.tests =
        "[[test]]\nname = \"loss\"\nprocedure = \"path.loss\"\ninstrument = \"power-meter\"\nparameters = { "
        "sent = \"0 dBm\", "
        "frequency = \"1 GHz\" }\nsettings = { \"generator.level\" = \"0 dBm\", \"generator.output\" = "
        "\"ON\", "
        "\"generator.frequency\" = \"1 GHz\", \"attenuator.attenuation\" = \"3 dB\" }\n";
    CHECK(stand.run({"--traffic"}).code == 0);
    const std::string log = rt::lab::read_file(stand.folder / "run/traffic.log");
    const auto level = log.find("SOURce:POWer 0"), attenuation = log.find("INPut:ATTenuation 3");
    REQUIRE(level != std::string::npos);
    REQUIRE(attenuation != std::string::npos);
    // Neither answers that it is done before both are told.
    const auto waited = log.find("*OPC?", std::min(level, attenuation));
    CHECK(waited > std::max(level, attenuation));
}

TEST_CASE("a switched outlet cycles the power of the unit") {
    Stand stand;
    stand.tests =
        Stand::scanning("scan", "power_cycle = \"supply\"\nsettings = { \"unit.state\" = \"loud\" }\n") +
        "[[test.judge]]\nrule = \"own/loud\"\n";
    stand.dialects["supply"] = "scpi-switch";
    stand.instrument_keys["supply"] = "off_time = \"10 ms\"\n";
    stand.switched = true;
    const Said said = stand.run();
    CHECK_MESSAGE(said.code == 1, said.err);
    CHECK(contains(said.err, "       power: the unit's supply was switched off for 10 ms"));
}

TEST_CASE("a network analyser whose correction is off gives no verdict") {
    Stand stand;
    stand.dialects["counter"] = "vna.toml";
    stand.folder.write("vna.toml",
                       "[dialect]\nid = \"vna\"\ntitle = \"v\"\nkind = \"network-analyser\"\nlike = "
                       "\"scpi-network-analyser\"\n"
                       "[commands]\nprepare = \"*RST;:FORMat:DATA REAL,64;:FORMat:BORDer "
                       "SWAPped;:SENSe:CORRection:STATe OFF\"\n");
    stand.tests =
        "[[test]]\nname = \"match\"\nprocedure = \"network.return-loss\"\ninstrument = "
        "\"counter\"\nparameters = { start = \"1 "
        "MHz\", stop = \"2 MHz\", points = \"11\", bandwidth = \"1 kHz\" }\n";
    stand.run();
    const auto run = stand.record();
    REQUIRE_FALSE(run.points.empty());
    CHECK(contains(run.points[0].invalid, "correction of the counter is off for S11"));
}
