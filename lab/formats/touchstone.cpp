#include "lab/formats/touchstone.hpp"

#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"

namespace rt {
namespace {

constexpr int most_ports = 99;

class TouchstoneReader {
  public:
    TouchstoneReader(std::string_view text, const std::string& file, std::size_t ports)
        : text_(text), file_(file) {
        network_.ports = ports;
    }

    Network read() {
        for (const auto whole : split(text_, '\n')) {
            ++line_;
            constexpr std::string_view trouble = "! trouble: ";
            if (whole.starts_with(trouble))
                network_.trouble = std::string(trim(whole.substr(trouble.size())));
            const auto line = trim(whole.substr(0, whole.find('!')));
            if (line.empty()) continue;
            if (line.front() == '#') {
                options(line.substr(1));
            } else if (line.front() == '[') {
                if (!keyword(line)) break;
            } else if (!ended_) {
                numbers(line);
            }
        }
        if (!values_.empty()) fail("the file ends in the middle of the parameters of a frequency");
        if (network_.frequency_hz.empty()) fail("there is no network data");
        return std::move(network_);
    }

  private:
    [[noreturn]] void fail(const std::string& message) const {
        fail_input(file_ + ":" + std::to_string(line_), message);
    }

    void options(std::string_view line) {
        if (seen_options_) return;  // only the first counts
        seen_options_ = true;
        bool resistance = false;
        std::string word;
        std::string all(line);
        for (char& c : all) {
            if (c == '\t') c = ' ';
        }
        for (const auto part : split(all, ' ')) {
            word = lower(trim(part));
            if (word.empty()) continue;
            if (resistance) {
                const auto ohm = to_double(word);
                if (!ohm || !(*ohm > 0)) fail("the reference resistance is no number: " + in_quotes(word));
                network_.reference_ohm = *ohm;
                resistance = false;
            } else if (word == "hz" || word == "khz" || word == "mhz" || word == "ghz") {
                factor_ = word == "hz" ? 1 : word == "khz" ? 1e3 : word == "mhz" ? 1e6 : 1e9;
            } else if (word == "ma" || word == "db" || word == "ri") {
                form_ = word;
            } else if (word == "r") {
                resistance = true;
            } else if (word != "s") {
                fail(in_quotes(word) + " in the option line: only S-parameters as MA, DB or RI are read");
            }
        }
    }

    // False at the end of the data.
    bool keyword(std::string_view line) {
        const auto close = line.find(']');
        if (close == std::string_view::npos) fail("a keyword in brackets is not closed");
        const std::string word = lower(line.substr(1, close - 1));
        const auto value = trim(line.substr(close + 1));
        if (word == "number of ports") {
            const auto n = to_double(value);
            if (!n || *n < 1 || *n > most_ports || *n != std::floor(*n))
                fail("the number of ports is not 1 to 99: " + in_quotes(value));
            network_.ports = static_cast<std::size_t>(*n);
        } else if (word == "two-port data order") {
            row_order_ = lower(value) == "12_21";
        } else if (word == "matrix format" && lower(value) != "full") {
            fail("only full matrices are read, not " + in_quotes(value));
        } else if (word == "mixed-mode order") {
            fail("mixed-mode data is not read");
        } else if (word == "noise data" || word == "end") {
            return false;
        } else if (word == "begin information") {
            ended_ = true;
        } else if (word == "end information" || word == "network data") {
            ended_ = false;
        }
        return true;
    }

    void numbers(std::string_view line) {
        if (network_.ports == 0) fail("the number of ports is not known: name the file .s1p, .s2p ...");
        std::size_t at = 0;
        while (at < line.size()) {
            const auto end = std::min(line.find_first_of(" \t,", at), line.size());
            if (end > at) {
                const auto value = to_double(line.substr(at, end - at));
                if (!value) fail(in_quotes(line.substr(at, end - at)) + " is not a number");
                values_.push_back(*value);
            }
            at = end + 1;
        }
        const std::size_t n = network_.ports * network_.ports;
        // Two-port noise data follows the network data in version 1: its first frequency is lower again.
        if (network_.ports == 2 && values_.size() == 5 && !network_.frequency_hz.empty() &&
            values_[0] * factor_ <= network_.frequency_hz.back()) {
            values_.clear();
            ended_ = true;
            return;
        }
        if (values_.size() > 1 + 2 * n) fail("more numbers than a frequency has parameters");
        if (values_.size() == 1 + 2 * n) take();
    }

    void take() {
        const std::size_t ports = network_.ports, n = ports * ports;
        const double hz = values_[0] * factor_;
        if (!network_.frequency_hz.empty() && !(hz > network_.frequency_hz.back()))
            fail("the frequencies must rise");
        network_.frequency_hz.push_back(hz);
        std::vector<std::complex<double>> row;
        for (std::size_t i = 0; i < n; ++i) row.push_back(value(values_[1 + 2 * i], values_[2 + 2 * i]));
        // Two-port data of version 1 stands as S11 S21 S12 S22.
        if (ports == 2 && !row_order_) std::swap(row[1], row[2]);
        network_.s.insert(network_.s.end(), row.begin(), row.end());
        values_.clear();
    }

    std::complex<double> value(double a, double b) const {
        if (form_ == "ri") return {a, b};
        return std::polar(form_ == "db" ? std::pow(10, a / 20) : a, b * std::numbers::pi / 180);
    }

    std::string_view text_;
    const std::string& file_;
    int line_ = 0;
    bool seen_options_ = false, row_order_ = false, ended_ = false;
    double factor_ = 1e9;  // the presets of the format: GHz, S, MA, R 50
    std::string form_ = "ma";
    std::vector<double> values_;
    Network network_;
};

}  // namespace

Network parse_touchstone(std::string_view text, const std::string& file, std::size_t ports) {
    return TouchstoneReader(text, file, ports).read();
}

Network read_touchstone(const std::filesystem::path& file) {
    const std::string ending = lower(file.extension().string());
    std::size_t ports = 0;
    if (ending.size() >= 4 && ending.starts_with(".s") && ending.back() == 'p') {
        const auto n = to_double(ending.substr(2, ending.size() - 3)).value_or(0);
        if (n != std::floor(n) || n < 1 || n > most_ports)
            fail_input(file.string(), "the name says " + ending.substr(2, ending.size() - 3) +
                                          " ports: 1 to " + std::to_string(most_ports) + " are read");
        ports = static_cast<std::size_t>(n);
    }
    return parse_touchstone(read_file(file), file.string(), ports);
}

std::string touchstone(const Network& network) {
    std::string out = network.trouble ? "! trouble: " + *network.trouble + "\n" : "";
    out += "# HZ S RI R " + exact(network.reference_ohm) + "\n";
    for (std::size_t i = 0; i < network.frequency_hz.size(); ++i) {
        out += exact(network.frequency_hz[i]);
        for (std::size_t a = 1; a <= network.ports; ++a) {
            for (std::size_t b = 1; b <= network.ports; ++b) {
                const auto v = network.ports == 2 ? network.at(i, b, a) : network.at(i, a, b);
                out += " " + exact(v.real()) + " " + exact(v.imag());
            }
            // At most four parameters stand on a line, and each row of larger networks on its own.
            if (network.ports > 2) out += "\n";
        }
        if (network.ports <= 2) out += "\n";
    }
    return out;
}

}  // namespace rt
