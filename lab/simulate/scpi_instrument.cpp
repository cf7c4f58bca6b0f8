#include "lab/simulate/scpi_instrument.hpp"

#include <algorithm>
#include <bit>
#include <cctype>
#include <cmath>

#include "core/base/text.hpp"
#include "lab/bench/numbers.hpp"

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
    tree.on_command("ABORt", [](const auto&) {});
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
    tree.on_query("SYSTem:HELP:HEADers", [&tree](const auto&) { return block_of(tree.headers()); });
    tree.on_query("SYSTem:VERSion", [](const auto&) { return std::string("1999.0"); });
}

ScpiInstrument::ScpiInstrument(std::shared_ptr<Stage> stage, const std::string& kind,
                               const std::string& where)
    : stage_(std::move(stage)) {
    add_common_commands(tree_, "Rare Tally,simulated " + kind + "," + slug(where) + ",1.0",
                        [this] { reset(); });
    add_questionable_status();
    add_reference();
}

void ScpiInstrument::suffer(const PlannedFault& fault) {
    if (fault.kind == "overload") forced_overload_ = true;
    // SCPI-1999 volume 1, 9.4: bit 3 is power, 5 frequency, 8 calibration.
    const int bit = fault.kind == "unlevelled"     ? 8
                    : fault.kind == "unlocked"     ? 32
                    : fault.kind == "uncalibrated" ? 256
                                                   : 0;
    told_ |= bit, questionable_ |= bit;
    if (fault.kind == "unlocked") reference_lost_ = true;
    if (fault.kind == "another-value") distorts_ = true;
    // Somebody at the panel, or a loss of power: what was set is lost. The second shows in the event
    // register.
    if (fault.kind == "panel" || fault.kind == "restart") {
        reset();
        reference_ = 0;
    }
    if (fault.kind == "restart") {
        swapped_ = false, format_ = 0, bits_ = 64;
        tree_.switched_on();
    }
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
        [this, &value, unit, range, after](const ScpiArguments& a) {
            value = scpi_number(only_argument(a), unit, range);
            if (distorts_) value = std::clamp(value == 0 ? 1 : 1.1 * value, range.min, range.max);
            if (after) after();
        },
        [&value, unit, range](const ScpiArguments& a) {
            return exact(a.empty() ? value : scpi_number(only_argument(a), unit, range));
        });
}

void ScpiInstrument::flag(const std::string& pattern, bool& value, std::function<void()> after) {
    tree_.on(
        pattern,
        [this, &value, after](const ScpiArguments& a) {
            value = scpi_flag(a) != distorts_;
            if (after) after();
        },
        [&value](const auto&) { return flag_text(value); });
}

void ScpiInstrument::word(const std::string& pattern, std::size_t& value,
                          const std::vector<std::string>& words, std::function<void()> after) {
    tree_.on(
        pattern,
        [this, &value, words, after](const ScpiArguments& a) {
            value = scpi_word(only_argument(a), words);
            if (distorts_) value = (value + 1) % words.size();
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
            const std::size_t kind = scpi_word(a[0], {"ASCii", "REAL", "INTeger"});
            const double bits = a.size() > 1 ? to_double(a[1]).value_or(0) : kind == 1 ? 64 : 16;
            const bool known = kind == 0 || (kind == 1 && (bits == 32 || bits == 64)) ||
                               (kind == 2 && (bits == 8 || bits == 16 || bits == 32));
            if (!known) throw ScpiError{-224, "Illegal parameter value"};
            format_ = kind, bits_ = static_cast<int>(bits);
        },
        [this](const auto&) {
            const std::string bits = std::to_string(bits_);
            return format_ == 0 ? "ASC,0" : format_ == 1 ? "REAL," + bits : "INT," + bits;
        });
    tree_.on(
        "FORMat:BORDer",
        [this](const ScpiArguments& a) {
            swapped_ = scpi_word(only_argument(a), {"NORMal", "SWAPped"}) == 1;
        },
        [this](const auto&) { return std::string(swapped_ ? "SWAP" : "NORM"); });
    flag("FORMat:BLOCk:ENDLess", endless_);
    // Of the numbers sent last: how many, and what they stand for.
    tree_.on_query("FORMat:PREamble", [this](const auto&) {
        return std::to_string(sent_) + "," + exact(increment_) + "," + exact(origin_) + ",0";
    });
}

// Whole numbers that use the range of their form; `increment` and `origin` lead back.
void ScpiInstrument::scale(const std::vector<double>& values) const {
    const auto [low, high] = std::minmax_element(values.begin(), values.end());
    const double steps = std::exp2(bits_) - 2;
    increment_ = values.empty() || *high == *low ? 1 : (*high - *low) / steps;
    origin_ = values.empty() ? 0 : (*high + *low) / 2;
}

std::string ScpiInstrument::numbers(const std::vector<double>& values) const {
    std::string body;
    sent_ = values.size();
    if (format_ == 0) {
        for (const double value : values) body += (body.empty() ? "" : ",") + exact(value);
        return body;
    }
    if (format_ == 2) scale(values);
    const auto bytes = static_cast<std::size_t>(bits_) / 8;
    body.reserve(values.size() * bytes);
    for (const double value : values) {
        std::uint64_t bits = 0;
        if (format_ == 2) {
            bits = static_cast<std::uint64_t>(std::llround((value - origin_) / increment_));
        } else if (bits_ == 64) {
            bits = std::bit_cast<std::uint64_t>(value);
        } else {
            bits = std::bit_cast<std::uint32_t>(static_cast<float>(value));
        }
        for (std::size_t i = 0; i < bytes; ++i)
            body += static_cast<char>(bits >> 8 * (swapped_ ? i : bytes - 1 - i) & 0xff);
    }
    return endless_ ? "#0" + body : block_of(body);
}

void ScpiInstrument::add_questionable_status() {
    tree_.on_query("STATus:QUEStionable:CONDition",
                   [this](const auto&) { return std::to_string(questionable_); });
    tree_.on_query("STATus:QUEStionable:[EVENt]",
                   [this](const auto&) { return std::to_string(std::exchange(questionable_event_, 0)); });
    tree_.on_query("STATus:OPERation:CONDition", [](const auto&) { return std::string("0"); });
    tree_.on_command("STATus:PRESet", [](const auto&) {});
}

void ScpiInstrument::add_reference() {
    word("ROSCillator:SOURce", reference_, {"INTernal", "EXTernal"});
    tree_.on_query("ROSCillator:LOCKed",
                   [this](const auto&) { return flag_text(reference_ == 1 && !reference_lost_); });
    tree_.on_command("*RCL", [this](const ScpiArguments& a) {
        scpi_number(only_argument(a), ScpiUnit::plain, {1, 9, 1});
        reset();
    });
}

void ScpiInstrument::note_condition(int bits, bool there) {
    questionable_ = there ? questionable_ | bits : questionable_ & ~bits;
    if (there) questionable_event_ |= bits;
}

void ScpiInstrument::note_overload(bool overload) {
    constexpr int power = 8;  // bit 3, SCPI-1999 volume 1, 9.4
    questionable_ = (overload || forced_overload_ ? power : 0) | told_;
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
    tree_.on_query("HCOPy:SDUMp:DATA", [curve](const auto&) { return block_of(bitmap(curve())); });
}

}  // namespace rt::lab
