#include "lab/formats/touchstone.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/network/forms.hpp"
#include "core/quantity/quantity.hpp"
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
            remark(whole);
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
            } else if (place_ == Place::noise) {
                noise(line);
            } else {
                numbers(line);
            }
        }
        if (references_wanted_ > 0) fail("[Reference] gives fewer values than there are ports");
        if (!values_.empty() || !noise_values_.empty())
            fail("the file ends in the middle of the parameters of a frequency");
        if (network_.frequency_hz.empty()) fail("there is no network data");
        if (version_ == 2) {
            require_count();
            if (place_ != Place::behind) fail("[End] is missing: the file may be cut off");
        }
        if (!network_.uncertainty.empty() && network_.uncertainty.size() != network_.s.size())
            fail("a remark \"! standard uncertainty\" must follow each frequency, or none");
        return finished();
    }

  private:
    // What we write about the data besides it.
    void remark(std::string_view line) {
        const auto says = [&](std::string_view mark) {
            if (!line.starts_with(mark)) return false;
            line = trim(line.substr(mark.size()));
            return true;
        };
        // "trouble" stands in older runs.
        if (says("! distrust:") || says("! trouble:"))
            network_.distrust = std::string(line);
        else if (says("! done:"))
            network_.done.emplace_back(line);
        else if (says("! source level:"))
            network_.source_dbm = stated(line, Unit::dbm);
        else if (says("! source attenuator:"))
            network_.attenuator_db = stated(line, Unit::db);
        else if (says("! standard uncertainty:")) {
            if (!values_.empty() || numbers_of(line).size() != network_.ports * network_.ports)
                fail("a remark \"! standard uncertainty\" holds one number for each parameter");
            for (const double value : numbers_of(line)) network_.uncertainty.push_back(value);
        }
    }
    double stated(std::string_view text, Unit unit) const {
        try {
            return parse_quantity(std::string(text), unit).value;
        } catch (const Error& error) {
            fail(error.what());
        }
    }

    // In single-ended S-parameters, whatever the file holds.
    Network finished() {
        Network& n = network_;
        if (n.one_reference()) n.reference_ohm.resize(1);
        if (parameter_ != Form::scattering) {
            if (parameter_ != Form::impedance && parameter_ != Form::admittance && n.ports != 2)
                fail("H- and G-parameters are of two ports");
            if (version_ == 1) denormalise();
            Network made;
            try {
                made = network_of(parameter_, n.frequency_hz, n.s, n.ports, n.reference_ohm);
            } catch (const Error& error) {
                fail(error.what());
            }
            n.s = std::move(made.s);
        }
        if (modes_.empty()) return std::move(network_);
        return unmixed();
    }
    // Version 1 counts them from the reference.
    void denormalise() {
        const double r = network_.reference(1);
        const bool z = parameter_ == Form::impedance, y = parameter_ == Form::admittance;
        const bool h = parameter_ == Form::hybrid;
        for (std::size_t i = 0; i < network_.s.size(); ++i) {
            if (z) network_.s[i] *= r;
            if (y) network_.s[i] /= r;
            if (!z && !y && i % 4 == 0) network_.s[i] *= h ? r : 1 / r;
            if (!z && !y && i % 4 == 3) network_.s[i] *= h ? 1 / r : r;
        }
    }
    // [Mixed-Mode Order] says for each port of the data D or C and its pair, or S and its port.
    Network unmixed() {
        PortPairs pairs;
        for (const auto& mode : modes_) {
            if (mode.kind == 'd') pairs.emplace_back(mode.a, mode.b);
        }
        std::vector<std::size_t> order(network_.ports), single;
        for (std::size_t i = 0; i < modes_.size(); ++i) {
            if (modes_[i].kind == 's') single.push_back(modes_[i].a);
        }
        std::sort(single.begin(), single.end());
        for (std::size_t i = 0; i < modes_.size(); ++i) {
            const auto& mode = modes_[i];
            std::size_t place = 0;
            if (mode.kind == 's') {
                place =
                    2 * pairs.size() + static_cast<std::size_t>(
                                           std::find(single.begin(), single.end(), mode.a) - single.begin());
            } else {
                const auto pair = std::find(pairs.begin(), pairs.end(), std::pair{mode.a, mode.b});
                if (pair == pairs.end())
                    fail(fmt::format("[Mixed-Mode Order] has C{0},{1} without D{0},{1}", mode.a, mode.b));
                place =
                    static_cast<std::size_t>(pair - pairs.begin()) + (mode.kind == 'c' ? pairs.size() : 0);
            }
            order[place] = i + 1;
        }
        // [Reference] gives those of the single ports.
        const auto single_references = network_.reference_ohm;
        network_.reference_ohm = {1};
        Network sorted = reordered(network_, order);
        std::vector<double> ohm;
        const auto reference = [&](std::size_t port) {
            return single_references.size() == 1 ? single_references[0] : single_references[port - 1];
        };
        for (const auto& [a, b] : pairs) {
            if (reference(a) != reference(b)) fail("the ports of a pair must have the same [Reference]");
            ohm.push_back(2 * reference(a));
        }
        for (const auto& [a, b] : pairs) ohm.push_back(reference(a) / 2);
        for (const auto port : single) ohm.push_back(reference(port));
        sorted.reference_ohm = std::move(ohm);
        return single_ended(sorted, pairs);
    }

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
                network_.reference_ohm = {*ohm};
                resistance = false;
            } else if (word == "hz" || word == "khz" || word == "mhz" || word == "ghz") {
                factor_ = word == "hz" ? 1 : word == "khz" ? 1e3 : word == "mhz" ? 1e6 : 1e9;
            } else if (word == "ma" || word == "db" || word == "ri") {
                form_ = word;
            } else if (word == "r") {
                resistance = true;
            } else if (const Form* form = form_of(word)) {
                parameter_ = *form;
            } else {
                fail(in_quotes(word) +
                     " in the option line: it holds a unit of frequency (Hz, kHz, MHz, GHz), S, Y, "
                     "Z, H or G, MA, DB or RI, and R with the reference resistance");
            }
        }
    }

    static const Form* form_of(const std::string& word) {
        static const std::vector<std::pair<std::string, Form>> known{{"s", Form::scattering},
                                                                     {"y", Form::admittance},
                                                                     {"z", Form::impedance},
                                                                     {"h", Form::hybrid},
                                                                     {"g", Form::inverse_hybrid}};
        for (const auto& [name, form] : known) {
            if (name == word) return &form;
        }
        return nullptr;
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
    void noise_count(const std::string& value) {
        constexpr int most = 100'000'000;
        noise_told_ = count_of("noise frequencies", value, most);
    }
    void reference(const std::string& value) {
        if (!ports_told_) fail("[Reference] before [Number of Ports]");
        references_wanted_ = network_.ports;
        network_.reference_ohm.clear();
        if (!value.empty()) references(value);
    }
    // One value a port; they may go on over further lines.
    void references(std::string_view line) {
        for (const auto value : numbers_of(line)) {
            if (references_wanted_ == 0) fail("[Reference] gives more values than there are ports");
            if (!(value > 0)) fail("a reference resistance must be above 0 ohm");
            network_.reference_ohm.push_back(value);
            --references_wanted_;
        }
    }
    void matrix_format(const std::string& value) {
        const std::string word = lower(value);
        if (word != "full" && word != "lower" && word != "upper")
            fail("the matrix format is Full, Lower or Upper, not " + in_quotes(value));
        triangle_ = word == "full" ? Triangle::none : word == "lower" ? Triangle::lower : Triangle::upper;
    }
    void mixed_mode(const std::string& value) {
        if (!ports_told_) fail("[Mixed-Mode Order] before [Number of Ports]");
        std::string all = lower(value);
        std::replace(all.begin(), all.end(), '\t', ' ');
        std::vector<std::string> seen;
        for (const auto part : split(all, ' ')) {
            const std::string word(trim(part));
            if (word.empty()) continue;
            const auto comma = word.find(',');
            const bool single = word[0] == 's' && comma == std::string::npos;
            const auto a = to_double(word.substr(1, comma == std::string::npos ? comma : comma - 1));
            const auto b = comma == std::string::npos ? a : to_double(word.substr(comma + 1));
            const auto good = [&](const std::optional<double>& n) {
                return n && *n == std::floor(*n) && *n >= 1 && *n <= static_cast<double>(network_.ports);
            };
            if (!(single || ((word[0] == 'd' || word[0] == 'c') && comma != std::string::npos)) || !good(a) ||
                !good(b) || (!single && *a == *b))
                fail("[Mixed-Mode Order] lists D2,3 C2,3 S1 and the like, for ports that there are: " +
                     in_quotes(word));
            if (std::find(seen.begin(), seen.end(), word) != seen.end())
                fail("[Mixed-Mode Order] lists " + in_quotes(word) + " twice");
            seen.push_back(word);
            modes_.push_back({word[0], static_cast<std::size_t>(*a), static_cast<std::size_t>(*b)});
        }
        if (modes_.size() != network_.ports)
            fail(
                fmt::format("[Mixed-Mode Order] lists {} modes for {} ports", modes_.size(), network_.ports));
        std::vector<int> used(network_.ports + 1);
        for (const auto& mode : modes_) {
            used[mode.a] += mode.kind == 's' ? 2 : 1;
            if (mode.kind != 's') ++used[mode.b];
        }
        for (std::size_t port = 1; port <= network_.ports; ++port) {
            if (used[port] != 2) fail(fmt::format("[Mixed-Mode Order] does not hold port {} once", port));
        }
    }
    void begin_information(const std::string&) { place_ = Place::information; }
    void end_information(const std::string&) { place_ = Place::head; }
    void network_data(const std::string&) {
        if (!ports_told_) fail("[Network Data] without [Number of Ports] before it");
        if (!frequencies_told_) fail("[Network Data] without [Number of Frequencies] before it");
        if (network_.ports == 2 && !order_told_)
            fail("[Network Data] without [Two-Port Data Order] before it");
        if (noise_told_ && network_.ports != 2) fail("noise data is of two ports");
        if (!seen_options_) fail("[Network Data] without an option line (# ...) before it");
        place_ = Place::data;
    }
    void noise_data(const std::string&) {
        require_count();
        if (network_.ports != 2) fail("noise data is of two ports");
        place_ = Place::noise;
    }
    void end(const std::string&) {
        require_count();
        if (!noise_values_.empty()) fail("the noise data ends in the middle of a frequency");
        if (noise_told_ && network_.noise.size() != *noise_told_)
            fail(fmt::format("[Number of Noise Frequencies] is {}, the data has {}", *noise_told_,
                             network_.noise.size()));
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
            noise_values_ = std::exchange(values_, {});
            place_ = Place::noise;
            take_noise();
            return;
        }
        if (values_.size() > 1 + 2 * n) fail("more numbers than a frequency has parameters");
        if (values_.size() == 1 + 2 * n) take();
    }

    // Frequency, least noise figure in dB, magnitude and angle of the source that gives it, noise resistance
    // (in version 1 counted from the reference).
    void noise(std::string_view line) {
        for (const double value : numbers_of(line)) noise_values_.push_back(value);
        if (noise_values_.size() > 5) fail("noise data has five numbers at each frequency");
        if (noise_values_.size() == 5) take_noise();
    }
    void take_noise() {
        const auto v = std::exchange(noise_values_, {});
        const double hz = v[0] * factor_;
        if (!(hz >= 0) || (!network_.noise.empty() && !(hz > network_.noise.back().frequency_hz)))
            fail("the frequencies of the noise data must rise");
        if (!(v[4] >= 0)) fail("a noise resistance must not be negative");
        network_.noise.push_back({hz, v[1], std::polar(v[2], v[3] * std::numbers::pi / 180),
                                  v[4] * (version_ == 1 ? network_.reference_ohm.front() : 1)});
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
    struct Mode {
        char kind;  // d, c or s
        std::size_t a, b;
    };
    std::vector<Mode> modes_;  // of mixed-mode data, in the order of its ports
    Form parameter_ = Form::scattering;
    std::size_t references_wanted_ = 0;
    std::optional<std::size_t> frequencies_told_, noise_told_;
    double factor_ = 1e9;  // the defaults of the format: GHz, S, MA, R 50
    std::string form_ = "ma";
    std::vector<double> values_, noise_values_;
    Network network_;
};

}  // namespace

Network parse_touchstone(std::string_view text, const std::string& file, std::size_t ports) {
    return TouchstoneReader(text, file, ports).read();
}

bool names_touchstone(const std::filesystem::path& file) {
    const std::string ending = lower(file.extension().string());
    return ending == ".ts" || (ending.starts_with(".s") && ending.ends_with("p"));
}

std::size_t ports_named(const std::filesystem::path& file) {
    const std::string ending = lower(file.extension().string());
    std::size_t ports = 0;
    if (ending.size() >= 4 && ending.starts_with(".s") && ending.back() == 'p') {
        const auto n = to_double(ending.substr(2, ending.size() - 3)).value_or(0);
        if (n != std::floor(n) || n < 1 || n > most_ports)
            fail_input(file.string(), "the name says " + ending.substr(2, ending.size() - 3) +
                                          " ports: 1 to " + std::to_string(most_ports) + " are read");
        ports = static_cast<std::size_t>(n);
    }
    return ports;
}

Network read_touchstone(const std::filesystem::path& file) {
    return parse_touchstone(read_file(file), file.string(), ports_named(file));
}

}  // namespace rt::lab
