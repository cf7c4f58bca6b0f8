#include "lab/simulate/scpi_instrument.hpp"

#include <algorithm>
#include <bit>
#include <cctype>
#include <cmath>
#include <cstring>

#include "core/base/text.hpp"

namespace rt::lab {

static std::string flag_text(bool on) {
    return on ? "1" : "0";
}

bool scpi_flag(const ScpiArguments& arguments) {
    return scpi_word(only_argument(arguments), {"0", "1", "OFF", "ON"}) % 2 == 1;
}

void add_common_commands(ScpiTree& tree, const std::string& identity, std::function<void()> reset) {
    tree.on_query("*IDN", [identity](const auto&) { return identity; });
    tree.on_command("*RST", [reset](const auto&) { reset(); });
    tree.on_command("*CLS", [&tree](const auto&) {
        tree.clear_errors();
        tree.take_events();
    });
    tree.on(
        "*OPC", [&tree](const auto&) { tree.complete(); }, [](const auto&) { return std::string("1"); });
    tree.on_command("*WAI", [](const auto&) {});
    tree.on_query("*TST", [](const auto&) { return std::string("0"); });
    tree.on_query("*ESR", [&tree](const auto&) { return std::to_string(tree.take_events()); });
    auto mask = std::make_shared<int>(0);
    tree.on(
        "*ESE",
        [mask](const ScpiArguments& a) {
            *mask = static_cast<int>(scpi_number(only_argument(a), ScpiUnit::plain, {0, 255, 0}));
        },
        [mask](const auto&) { return std::to_string(*mask); });
    auto requests = std::make_shared<int>(0);
    tree.on(
        "*SRE",
        [requests](const ScpiArguments& a) {
            *requests = static_cast<int>(scpi_number(only_argument(a), ScpiUnit::plain, {0, 255, 0}));
        },
        [requests](const auto&) { return std::to_string(*requests); });
    // Event summary (bit 5) and, with it enabled, the request for service (bit 6).
    tree.on_query("*STB", [&tree, mask, requests](const auto&) {
        const int summary = (tree.events() & *mask) ? 32 : 0;
        return std::to_string(summary | ((summary & *requests) ? 64 : 0));
    });
    tree.on_query("SYSTem:ERRor:[NEXT]", [&tree](const auto&) { return tree.pop_error(); });
    tree.on_query("SYSTem:VERSion", [](const auto&) { return std::string("1999.0"); });
}

ScpiInstrument::ScpiInstrument(std::shared_ptr<Stage> stage, const std::string& kind,
                               const std::string& where)
    : stage_(std::move(stage)) {
    add_common_commands(tree_, "Rare Tally,simulated " + kind + "," + slug(where) + ",1.0",
                        [this] { reset(); });
}

void ScpiInstrument::suffer(const PlannedFault& fault) {
    if (fault.kind == "overload") forced_overload_ = true;
    if (fault.kind == "drift") stage_->drift(-2);
    if (fault.kind == "hang") stage_->hang();
    if (fault.kind == "wrong-mode") stage_->take_no_settings();
    if (fault.kind == "error-entry") {
        const auto comma = fault.text.find(',');
        std::string words = comma == std::string::npos ? fault.text : fault.text.substr(comma + 1);
        if (words.size() >= 2 && words.front() == '"' && words.back() == '"')
            words = words.substr(1, words.size() - 2);
        const double code = to_double(fault.text.substr(0, comma)).value_or(-300);
        tree_.push_error({static_cast<int>(code), words});
    }
}

void ScpiInstrument::number(const std::string& pattern, double& value, ScpiUnit unit, ScpiRange range,
                            std::function<void()> after) {
    tree_.on(
        pattern,
        [&value, unit, range, after](const ScpiArguments& a) {
            value = scpi_number(only_argument(a), unit, range);
            if (after) after();
        },
        [&value, unit, range](const ScpiArguments& a) {
            return exact(a.empty() ? value : scpi_number(only_argument(a), unit, range));
        });
}

void ScpiInstrument::flag(const std::string& pattern, bool& value, std::function<void()> after) {
    tree_.on(
        pattern,
        [&value, after](const ScpiArguments& a) {
            value = scpi_flag(a);
            if (after) after();
        },
        [&value](const auto&) { return flag_text(value); });
}

void ScpiInstrument::word(const std::string& pattern, std::size_t& value,
                          const std::vector<std::string>& words, std::function<void()> after) {
    tree_.on(
        pattern,
        [&value, words, after](const ScpiArguments& a) {
            value = scpi_word(only_argument(a), words);
            if (after) after();
        },
        [&value, words](const auto&) {
            std::string out;
            for (const char c : words[value]) {
                if (!std::islower(static_cast<unsigned char>(c))) out += c;
            }
            return out;
        });
}

void ScpiInstrument::add_format() {
    tree_.on(
        "FORMat:[DATA]",
        [this](const ScpiArguments& a) {
            if (a.empty()) throw ScpiError{-109, "Missing parameter"};
            const std::size_t kind = scpi_word(a[0], {"ASCii", "REAL"});
            if (kind == 1 && a.size() > 1 && a[1] != "64") throw ScpiError{-224, "Illegal parameter value"};
            format_ = kind;
        },
        [this](const auto&) { return std::string(format_ == 1 ? "REAL,64" : "ASC,0"); });
    tree_.on(
        "FORMat:BORDer",
        [this](const ScpiArguments& a) {
            swapped_ = scpi_word(only_argument(a), {"NORMal", "SWAPped"}) == 1;
        },
        [this](const auto&) { return std::string(swapped_ ? "SWAP" : "NORM"); });
}

std::string ScpiInstrument::numbers(const std::vector<double>& values) const {
    std::string body;
    if (format_ == 0) {
        for (const double value : values) body += (body.empty() ? "" : ",") + exact(value);
        return body;
    }
    body.resize(values.size() * sizeof(double));
    std::memcpy(body.data(), values.data(), body.size());
    if ((std::endian::native == std::endian::little) != swapped_) {
        for (std::size_t i = 0; i < body.size(); i += sizeof(double))
            std::reverse(body.data() + i, body.data() + i + sizeof(double));
    }
    return block_of(body);
}

std::string ScpiInstrument::block_of(const std::string& bytes) {
    const std::string length = std::to_string(bytes.size());
    return "#" + std::to_string(length.size()) + length + bytes;
}

void ScpiInstrument::add_questionable_status() {
    tree_.on_query("STATus:QUEStionable:CONDition",
                   [this](const auto&) { return std::to_string(questionable_); });
    tree_.on_query("STATus:QUEStionable:[EVENt]",
                   [this](const auto&) { return std::to_string(std::exchange(questionable_event_, 0)); });
    tree_.on_query("STATus:OPERation:CONDition", [](const auto&) { return std::string("0"); });
    tree_.on_command("STATus:PRESet", [](const auto&) {});
}

void ScpiInstrument::note_overload(bool overload) {
    constexpr int power = 8;  // bit 3, SCPI-1999 volume 1, 9.4
    questionable_ = overload || forced_overload_ ? power : 0;
    questionable_event_ |= questionable_;
}

// A bitmap (BMP) of 320 x 200 black on white.
static std::string bitmap(const std::vector<double>& curve) {
    constexpr std::size_t width = 320, height = 200, stride = 40;
    std::string bits(stride * height, '\xff');
    if (!curve.empty()) {
        const auto [low, high] = std::minmax_element(curve.begin(), curve.end());
        const double range = std::max(*high - *low, 1e-9);
        for (std::size_t x = 0; x < width; ++x) {
            const double value = curve[x * curve.size() / width];
            const auto y = static_cast<std::size_t>((value - *low) / range * (height - 1));
            for (std::size_t row = 0; row <= y; ++row)
                bits[row * stride + x / 8] = static_cast<char>(bits[row * stride + x / 8] & ~(0x80 >> x % 8));
        }
    }
    std::string out = "BM";
    const auto put = [&](std::uint32_t value, int bytes) {
        for (int i = 0; i < bytes; ++i) out += static_cast<char>(value >> (8 * i) & 0xff);
    };
    constexpr std::uint32_t head = 62;
    put(static_cast<std::uint32_t>(head + bits.size()), 4), put(0, 4), put(head, 4);
    put(40, 4), put(width, 4), put(height, 4), put(1, 2), put(1, 2), put(0, 4);
    put(static_cast<std::uint32_t>(bits.size()), 4), put(2835, 4), put(2835, 4), put(2, 4), put(0, 4);
    put(0x000000, 4), put(0xffffff, 4);
    return out + bits;
}

void ScpiInstrument::add_picture(std::function<std::vector<double>()> curve) {
    tree_.on_query("HCOPy:SDUMp:DATA", [curve](const auto&) {
        const std::string picture = bitmap(curve());
        const std::string length = std::to_string(picture.size());
        return "#" + std::to_string(length.size()) + length + picture;
    });
}

}  // namespace rt::lab
