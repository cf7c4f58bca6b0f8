// Numbers, words and limits out of one page of registers.
#pragma once

#include <optional>
#include <string>

#include "core/measure/module/management.hpp"

namespace rt::management {

class Reader {
  public:
    Reader(const Registers& registers, int device, int page)
        : registers_(registers), device_(device), page_(page) {}

    std::optional<int> byte(int place) const;
    std::optional<double> unsigned16(int place) const;
    std::optional<double> signed16(int place) const;
    std::optional<double> single(int place) const;  // IEEE 754
    bool bit(int place, int number) const;          // false where the byte is not known
    // Printable characters without the spaces behind them; "" where one byte is not known.
    std::string text(int first, int last) const;
    // Bytes in hexadecimal, with points between them.
    std::string octets(int first, int last) const;
    // YYMMDD and a lot.
    std::string date(int first) const;
    // Four numbers of 16 bits in a row; nothing where they are not known, or all alike.
    std::optional<Four> four(int place, bool is_signed, double step) const;
    std::string name(int place) const { return place_name(device_, page_, place); }

    // The low eight bits of the sum from `first` to `last`, against what stands behind.
    void check(int first, int last, int place, Module& out) const;

  private:
    const Registers& registers_;
    int device_, page_;
};

// The monitor's value times `step`, where its register is known; else why not goes to no_value.
void add_monitor(const Reader& reader, int place, Measured measured, int lane, double step, Module& out);

// Adds what is stated of the maker.
void add_identity(Module& out, const char* what, std::string value);

// Of one monitor: bits that say high alarm, low alarm, high warning, low warning.
void add_latched(Module& out, Measured measured, int lane, bool high_alarm, bool low_alarm, bool high_warning,
                 bool low_warning);

}  // namespace rt::management
