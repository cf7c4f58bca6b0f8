#include "lab/simulate/scpi_tree.hpp"

#include <doctest/doctest.h>

#include "lab/simulate/scpi_instrument.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

struct Device {
    ScpiTree tree;
    double start = 0, width = 0;

    Device() {
        tree.on(
            "[SENSe]:FREQuency:STARt",
            [this](const auto& a) {
                start = scpi_number(only_argument(a), ScpiUnit::hertz, {0, 6e9, 1e3});
            },
            [this](const auto&) { return std::to_string(static_cast<long long>(start)); });
        tree.on(
            "[SENSe]:BANDwidth:[RESolution]",
            [this](const auto& a) {
                width = scpi_number(only_argument(a), ScpiUnit::hertz, {1, 1e7, 1e5});
            },
            [this](const auto&) { return std::to_string(static_cast<long long>(width)); });
        add_common_commands(tree, "Maker,Model,Serial,1", [this] { start = width = 0; });
    }
    std::string ask(const std::string& message) { return tree.execute(message).value_or("(no answer)"); }
    std::string error_after(const std::string& message) {
        tree.clear_errors();
        tree.execute(message);
        return tree.pop_error();
    }
};

}  // namespace

TEST_CASE("short and long forms, optional nodes and the suffix 1 mean the same") {
    Device d;
    for (const char* header : {"FREQ:STAR", "FREQuency:STARt", "SENSe:FREQuency:STARt", ":SENS:FREQ:STAR",
                               "sens1:freq:star", "SENSE:FREQ1:START"}) {
        CAPTURE(header);
        d.start = 0;
        d.tree.execute(std::string(header) + " 42");
        CHECK(d.start == 42);
        CHECK(d.ask(std::string(header) + "?") == "42");
    }
    CHECK(d.error_after("FREQU:STAR 1") == "-113,\"Undefined header\"");  // neither short nor long
    CHECK(d.error_after("SENS2:FREQ:STAR 1") == "-114,\"Header suffix out of range\"");
    d.tree.execute("BAND 9 kHz");
    CHECK(d.ask("BAND:RES?") == "9000");
}

TEST_CASE("several commands in one message follow the current path") {
    Device d;
    CHECK(d.ask("FREQ:STAR 5;STAR?") == "5");  // STAR continues below FREQ
    CHECK(d.ask("FREQ:STAR 6;:BAND 7;:FREQ:STAR?;:BAND?") == "6;7");
    CHECK(d.ask("FREQ:STAR 8;*OPC?;STAR?") == "1;8");  // common commands leave the path alone
    CHECK(d.error_after("FREQ:STAR 5;BAND 7") == "-113,\"Undefined header\"");
    d.width = 1;
    d.tree.execute("BOGUS;:BAND 5");  // an error ends the message
    CHECK(d.width == 1);
}

TEST_CASE("numbers take suffixes, exponents and MIN, MAX, DEF") {
    const ScpiRange range{0, 6e9, 1e3};
    CHECK(scpi_number("2.405E9", ScpiUnit::hertz, range) == 2.405e9);
    CHECK(scpi_number("2.405 GHz", ScpiUnit::hertz, range) == 2.405e9);
    CHECK(scpi_number("9khz", ScpiUnit::hertz, range) == 9e3);
    CHECK(scpi_number("5 MHZ", ScpiUnit::hertz, range) == 5e6);
    CHECK(scpi_number("20 ms", ScpiUnit::second, {0, 1, 0}) == 0.02);
    CHECK(scpi_number("-20DBM", ScpiUnit::dbm, {-100, 30, 0}) == -20);
    CHECK(scpi_number("MAX", ScpiUnit::hertz, range) == 6e9);
    CHECK(scpi_number("DEFault", ScpiUnit::hertz, range) == 1e3);
}

TEST_CASE("refusals have the numbers of SCPI-1999 and go through the queue in order") {
    Device d;
    CHECK(d.error_after("FREQ:STAR") == "-109,\"Missing parameter\"");
    CHECK(d.error_after("FREQ:STAR 1,2") == "-108,\"Parameter not allowed\"");
    CHECK(d.error_after("FREQ:STAR 1 V") == "-131,\"Invalid suffix\"");
    CHECK(d.error_after("FREQ:STAR abc") == "-104,\"Data type error\"");
    CHECK(d.error_after("FREQ:STAR 7E9") == "-222,\"Data out of range\"");
    CHECK(d.error_after("FREQ::STAR 1") == "-102,\"Syntax error\"");
    CHECK(d.error_after("*IDN") == "-113,\"Undefined header\"");  // a query only
    d.tree.clear_errors();
    d.tree.execute("FREQ:STAR 7E9");
    d.tree.execute("NONSENSE 1");
    CHECK(d.ask("SYST:ERR?") == "-222,\"Data out of range\"");
    CHECK(d.ask("SYSTem:ERRor:NEXT?") == "-113,\"Undefined header\"");
    CHECK(d.ask("SYST:ERR?") == "0,\"No error\"");
    for (int i = 0; i < 40; ++i) d.tree.execute("NONSENSE");
    std::string last;
    for (int i = 0; i < 16; ++i) last = d.ask("SYST:ERR?");
    CHECK(last == "-350,\"Queue overflow\"");
}

TEST_CASE("status: events are set by kind and cleared by reading") {
    Device d;
    CHECK(d.ask("*ESR?") == "128");  // power on
    d.tree.execute("FREQ:STAR 7E9");
    d.tree.execute("NONSENSE");
    CHECK(d.ask("*ESR?") == "48");  // execution error 16, command error 32
    CHECK(d.ask("*ESR?") == "0");
    d.tree.execute("*OPC");
    d.tree.execute("*ESE 1");
    CHECK(d.ask("*STB?") == "32");
    CHECK(d.ask("*CLS;*STB?") == "0");
    CHECK(d.ask("*IDN?") == "Maker,Model,Serial,1");
}
