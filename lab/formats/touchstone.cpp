#include "lab/formats/touchstone.hpp"

#include <fmt/core.h>

#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
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
            for (const std::string_view mark : {"! distrust: ", "! trouble: "}) {  // the second: older runs
                if (whole.starts_with(mark)) network_.distrust = std::string(trim(whole.substr(mark.size())));
            }
            const auto line = trim(whole.substr(0, whole.find('!')));
            if (line.empty()) continue;
            if (place_ == Place::information && lower(line) != "[end information]") continue;
            if (place_ == Place::behind) fail("behind [End] stands " + in_quotes(line));
            if (line.front() == '#') {
                options(line.substr(1));
            } else if (line.front() == '[') {
                keyword(line);
            } else if (references_wanted_ > 0) {
                references(line);
            } else if (place_ == Place::head && version_ == 2) {
                fail("data before [Network Data]: " + in_quotes(line));
            } else if (place_ != Place::noise) {
                numbers(line);
            }
        }
        if (references_wanted_ > 0) fail("[Reference] gives fewer values than there are ports");
        if (!values_.empty()) fail("the file ends in the middle of the parameters of a frequency");
        if (network_.frequency_hz.empty()) fail("there is no network data");
        if (version_ == 2) {
            require_count();
            if (place_ != Place::behind) fail("[End] is missing: the file may be cut off");
        }
        return std::move(network_);
    }

  private:
    // Data of version 1 stands in the head.
    enum class Place { head, information, data, noise, behind };

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

    void keyword(std::string_view line) {
        const auto close = line.find(']');
        if (close == std::string_view::npos) fail("a keyword in brackets is not closed");
        const std::string word = lower(trim(line.substr(1, close - 1)));
        const std::string value(trim(line.substr(close + 1)));
        if (word != "version" && version_ != 2) fail("keywords need [Version] 2.0 on the first line");
        if (references_wanted_ > 0) fail("[Reference] gives fewer values than there are ports");
        using KeywordReader = void (TouchstoneReader::*)(const std::string&);
        static const std::vector<std::pair<std::string, KeywordReader>> known{
            {"version", &TouchstoneReader::version},
            {"number of ports", &TouchstoneReader::port_count},
            {"two-port data order", &TouchstoneReader::order},
            {"two-port order", &TouchstoneReader::order},
            {"number of frequencies", &TouchstoneReader::frequency_count},
            {"number of noise frequencies", &TouchstoneReader::noise_count},
            {"reference", &TouchstoneReader::reference},
            {"matrix format", &TouchstoneReader::matrix_format},
            {"mixed-mode order", &TouchstoneReader::mixed_mode},
            {"begin information", &TouchstoneReader::begin_information},
            {"end information", &TouchstoneReader::end_information},
            {"network data", &TouchstoneReader::network_data},
            {"noise data", &TouchstoneReader::noise_data},
            {"end", &TouchstoneReader::end},
        };
        std::vector<std::string> names;
        for (const auto& [name, reader] : known) {
            if (name == word) return (this->*reader)(value);
            names.push_back(name);
        }
        fail("the keyword [" + word + "] is not known" + suggestion(word, names));
    }

    std::size_t count_of(const std::string& what, const std::string& value, int most) const {
        const auto n = to_double(value);
        if (!n || *n < 1 || *n > most || *n != std::floor(*n))
            fail("the number of " + what + " is not 1 to " + std::to_string(most) + ": " + in_quotes(value));
        return static_cast<std::size_t>(*n);
    }

    void version(const std::string& value) {
        const auto n = to_double(value);
        if (!n || (*n != 1 && *n != 2 && *n != 2.1))
            fail("versions 1.0, 2.0 and 2.1 are read, not " + in_quotes(value));
        version_ = *n >= 2 ? 2 : 1;
    }
    void port_count(const std::string& value) {
        const auto n = count_of("ports", value, most_ports);
        if (network_.ports != 0 && network_.ports != n) {
            fail("[Number of Ports] is " + value + ", the file's name says " +
                 std::to_string(network_.ports));
        }
        network_.ports = n;
        ports_told_ = true;
    }
    void order(const std::string& value) {
        const std::string word = lower(value);
        if (word != "12_21" && word != "21_12")
            fail("the two-port order is 12_21 or 21_12, not " + in_quotes(value));
        row_order_ = word == "12_21";
        order_told_ = true;
    }
    void frequency_count(const std::string& value) {
        constexpr int most = 100'000'000;
        frequencies_told_ = count_of("frequencies", value, most);
    }
    void noise_count(const std::string&) {}
    void reference(const std::string& value) {
        if (!ports_told_) fail("[Reference] before [Number of Ports]");
        references_wanted_ = network_.ports;
        if (!value.empty()) references(value);
    }
    // One value a port; they may go on over further lines.
    void references(std::string_view line) {
        for (const auto value : numbers_of(line)) {
            if (references_wanted_ == 0) fail("[Reference] gives more values than there are ports");
            if (!(value > 0)) fail("a reference resistance must be above 0 ohm");
            if (references_wanted_ < network_.ports && value != network_.reference_ohm) {
                fail(
                    "[Reference] differs between ports: only data with one reference for all ports is read; "
                    "renormalise it first");
            }
            network_.reference_ohm = value;
            --references_wanted_;
        }
    }
    void matrix_format(const std::string& value) {
        const std::string word = lower(value);
        if (word != "full" && word != "lower" && word != "upper")
            fail("the matrix format is Full, Lower or Upper, not " + in_quotes(value));
        triangle_ = word == "full" ? Triangle::none : word == "lower" ? Triangle::lower : Triangle::upper;
    }
    void mixed_mode(const std::string&) { fail("mixed-mode data is not read"); }
    void begin_information(const std::string&) { place_ = Place::information; }
    void end_information(const std::string&) { place_ = Place::head; }
    void network_data(const std::string&) {
        if (!ports_told_) fail("[Network Data] without [Number of Ports] before it");
        if (!frequencies_told_) fail("[Network Data] without [Number of Frequencies] before it");
        if (network_.ports == 2 && !order_told_)
            fail("[Network Data] without [Two-Port Data Order] before it");
        if (!seen_options_) fail("[Network Data] without an option line (# ...) before it");
        place_ = Place::data;
    }
    void noise_data(const std::string&) {
        require_count();
        place_ = Place::noise;
    }
    void end(const std::string&) {
        require_count();
        place_ = Place::behind;
    }
    void require_count() const {
        if (!values_.empty()) fail("the data ends in the middle of the parameters of a frequency");
        if (frequencies_told_ && network_.frequency_hz.size() != *frequencies_told_) {
            fail(fmt::format("[Number of Frequencies] is {}, the data has {}", *frequencies_told_,
                             network_.frequency_hz.size()));
        }
    }

    std::vector<double> numbers_of(std::string_view line) const {
        std::vector<double> out;
        std::size_t at = 0;
        while (at < line.size()) {
            const auto end = std::min(line.find_first_of(" \t,", at), line.size());
            if (end > at) {
                const auto value = to_double(line.substr(at, end - at));
                if (!value) fail(in_quotes(line.substr(at, end - at)) + " is not a number");
                out.push_back(*value);
            }
            at = end + 1;
        }
        return out;
    }

    void numbers(std::string_view line) {
        if (network_.ports == 0) fail("the number of ports is not known: name the file .s1p, .s2p ...");
        for (const double value : numbers_of(line)) values_.push_back(value);
        const std::size_t ports = network_.ports;
        const std::size_t n = triangle_ == Triangle::none ? ports * ports : ports * (ports + 1) / 2;
        // Two-port noise data follows the network data in version 1: its first frequency is lower again.
        if (version_ == 1 && ports == 2 && values_.size() == 5 && !network_.frequency_hz.empty() &&
            values_[0] * factor_ <= network_.frequency_hz.back()) {
            values_.clear();
            place_ = Place::noise;
            return;
        }
        if (values_.size() > 1 + 2 * n) fail("more numbers than a frequency has parameters");
        if (values_.size() == 1 + 2 * n) take();
    }

    void take() {
        const std::size_t ports = network_.ports;
        const double hz = values_[0] * factor_;
        if (!(hz >= 0)) fail("a frequency must not be below 0 Hz");
        if (!network_.frequency_hz.empty() && !(hz > network_.frequency_hz.back()))
            fail("the frequencies must rise");
        network_.frequency_hz.push_back(hz);
        std::vector<std::complex<double>> row(ports * ports);
        std::size_t next = 1;
        for (std::size_t a = 0; a < ports; ++a) {
            const std::size_t from = triangle_ == Triangle::upper ? a : 0;
            const std::size_t to = triangle_ == Triangle::lower ? a + 1 : ports;
            for (std::size_t b = from; b < to; ++b, next += 2) {
                row[a * ports + b] = value(values_[next], values_[next + 1]);
                if (triangle_ != Triangle::none) row[b * ports + a] = row[a * ports + b];
            }
        }
        // Two-port data of version 1 stands as S11 S21 S12 S22.
        if (ports == 2 && !row_order_ && triangle_ == Triangle::none) std::swap(row[1], row[2]);
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
    int version_ = 1;
    Place place_ = Place::head;
    bool seen_options_ = false, row_order_ = false, order_told_ = false, ports_told_ = false;
    enum class Triangle { none, lower, upper } triangle_ = Triangle::none;
    std::size_t references_wanted_ = 0;
    std::optional<std::size_t> frequencies_told_;
    double factor_ = 1e9;  // the defaults of the format: GHz, S, MA, R 50
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
    std::string out = network.distrust ? "! distrust: " + *network.distrust + "\n" : "";
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

}  // namespace rt::lab
