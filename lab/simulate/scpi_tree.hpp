// The listening side of SCPI-1999: headers in short and long form, optional nodes, numeric suffixes, several
// commands in one message, and the error queue.
#pragma once

#include <deque>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace rt::lab {

// A refusal with its SCPI-1999 number (volume 2, chapter 21.8), such as -222 "Data out of range".
struct ScpiError {
    int code;
    std::string text;
};

using ScpiArguments = std::vector<std::string>;

class ScpiTree {
  public:
    using Query = std::function<std::string(const ScpiArguments&)>;
    using Command = std::function<void(const ScpiArguments&)>;

    // `pattern` as SCPI manuals write it: "[SENSe]:FREQuency:STARt". Capitals are the short form, nodes in
    // brackets may be left out. The suffix 1 is taken on every node; others are error -114, except where a
    // node ends in '#': "READ#" takes any, which comes as the first argument.
    void on(const std::string& pattern, Command command, Query query);
    void on_command(const std::string& pattern, Command command) { on(pattern, std::move(command), nullptr); }
    void on_query(const std::string& pattern, Query query) { on(pattern, nullptr, std::move(query)); }

    // Carries out one message; the answers of its queries joined by ';', nothing without queries. A handler
    // throws ScpiError to refuse. Errors go to the queue, and end the message.
    std::optional<std::string> execute(std::string_view message);

    // Every header that it knows, a line each: "SENSe:FREQuency:STARt" and, for those that ask only, a "?".
    std::string headers() const;

    void push_error(ScpiError error);
    std::string pop_error();  // "0,\"No error\"" when the queue is empty
    void clear_errors() { errors_.clear(); }
    // The standard event status register (IEEE 488.2, 11.5.1); reading clears it.
    int take_events();
    int events() const { return events_; }
    void complete() { events_ |= 1; }
    // As it is after the power was on: bit 7 alone.
    void switched_on() { events_ = 128, errors_.clear(); }

  private:
    struct Node {
        std::string short_form;
        std::string long_form;
        bool optional = false;
    };
    struct Entry {
        std::vector<Node> nodes;
        bool numbered = false;
        Command command;
        Query query;
    };
    struct Header {
        std::vector<std::string> mnemonics;
        std::vector<int> suffixes;
        bool query = false;
    };

    static Header parse_header(std::string_view text);
    static bool matches(const Entry& entry, std::size_t node, const Header& header, std::size_t mnemonic);
    const Entry* find(const Header& header) const;
    std::optional<std::string> execute_unit(std::string_view unit, std::vector<std::string>& path);

    std::vector<Entry> entries_;
    std::deque<ScpiError> errors_;
    int events_ = 128;  // power on
};

// Arguments as numbers with an optional unit ("9 kHz", "-20DBM", "1E3"). MINimum, MAXimum and DEFault stand
// for the given values. Throws ScpiError -104, -131 or -222.
struct ScpiRange {
    double min;
    double max;
    double otherwise;
};
enum class ScpiUnit { hertz, second, decibel, dbm, plain };
double scpi_number(const std::string& text, ScpiUnit unit, ScpiRange range);
// One of several words in short or long form ("POSitive"); the index. Throws ScpiError -224.
std::size_t scpi_word(const std::string& text, const std::vector<std::string>& words);
// Throws -109 or -108 unless there is exactly one.
const std::string& only_argument(const ScpiArguments& arguments);
// Without the quotation marks around it, of either kind.
std::string unquoted(std::string text);

}  // namespace rt::lab
