#include "lab/simulate/modem.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <deque>
#include <mutex>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/synthesis/signal.hpp"
#include "lab/simulate/surroundings.hpp"

namespace rt::lab {
namespace {

constexpr std::array modem_keys{
    KeyInfo{"port", Key::text, true, "where it leaves the unit"},
    KeyInfo{"when", Key::pairs, false, "settings under which it is there"},
    KeyInfo{"signal", Key::text, true,
            "what it sends: a signal of complex samples, as rare-tally make makes them"},
    KeyInfo{"parameters", Key::pairs, false, "of the signal"},
    KeyInfo{"from_settings", Key::pairs, false,
            "parameters that follow settings of the unit: { cell = \"cell\" }"},
    KeyInfo{"frequency_setting", Key::text, false,
            "setting with the carrier frequency; \"frequency\" without it"},
    KeyInfo{"level_setting", Key::text, false, "setting with the level; \"level\" without it"},
    KeyInfo{"gain", Key::quantity, false, "what it sends over what it was told", Unit::db},
    KeyInfo{"frequency_error", Key::quantity, false, "of its clock: carrier and samples", Unit::ppm},
    KeyInfo{"drift", Key::quantity, false, "change of level after warming up", Unit::db},
    KeyInfo{"drift_time", Key::quantity, false, "time constant of the drift; 10 min without it",
            Unit::second},
    KeyInfo{"index_setting", Key::text, false,
            "setting with its gain index; \"table\" there: the index that its gain table has for the level"},
    KeyInfo{"table_setting", Key::text, false,
            "setting with its gain table: \"2402:10:7,...\", MHz, dBm, index"},
    KeyInfo{"index_level", Key::quantity, false, "level at index 0 and the middle frequency", Unit::dbm},
    KeyInfo{"index_step", Key::quantity, false, "from one index to the next", Unit::db},
    KeyInfo{"last_index", Key::whole, false, "15 without it"},
    KeyInfo{"bend", Key::quantity, false, "what is missing at the last index", Unit::db},
    KeyInfo{"ripple", Key::quantity, false, "from index to index, peak", Unit::db},
    KeyInfo{"slope", Key::quantity, false, "change over 100 MHz", Unit::db},
    KeyInfo{"middle", Key::quantity, false, "frequency where the slope is 0", Unit::hertz},
    KeyInfo{
        "attach_level", Key::quantity, false,
        "it attends to the cell of a tester at its port, where at least this arrives of it, and sends only "
        "while it is attached; the cell's words are settings then: cell.frequency, cell.bandwidth, "
        "cell.identity, cell.modulation, cell.first_block, cell.blocks, cell.level",
        Unit::dbm},
    KeyInfo{"attach_time", Key::quantity, false, "what attaching needs; 1 s without it", Unit::second},
    KeyInfo{"drops_after", Key::quantity, false, "loses the cell so long after it was attached, each time",
            Unit::second},
    KeyInfo{"highest_level", Key::quantity, false, "what the cell can make it send; 23 dBm without it",
            Unit::dbm},
    KeyInfo{"lowest_level", Key::quantity, false, "-50 dBm without it", Unit::dbm},
};

// Signals that were made lately: the same settings make the same samples.
struct Made {
    std::string key;
    PlayedIq played;
    double above_level_db;
};

Made made_for(const SignalKind& kind, const Parameters& parameters) {
    static std::mutex mutex;
    static std::deque<Made> lately;
    constexpr std::size_t most = 6;
    std::string key = kind.name;
    for (const auto& [name, text] : parameters.texts()) key += '\n' + name + '=' + text;
    const std::lock_guard lock(mutex);
    const auto at =
        std::find_if(lately.begin(), lately.end(), [&](const Made& one) { return one.key == key; });
    if (at != lately.end()) return *at;
    const MadeSignal signal = kind.make(parameters, {});
    const auto& record = std::get<IqRecord>(signal.turn);
    auto samples = std::make_shared<std::vector<std::complex<float>>>(
        record.read(0, static_cast<std::size_t>(record.size())));
    lately.push_front({key, {std::move(samples), record.sample_rate_hz}, signal.above_level_db});
    if (lately.size() > most) lately.pop_back();
    return lately.front();
}

std::optional<double> quantity_in(const std::string& text, Unit unit) {
    try {
        return parse_quantity(text, unit).value;
    } catch (const Error&) {
        return std::nullopt;
    }
}

}  // namespace

const SectionInfo modem_section{"[[modem]]", "A transmitter that sends a signal made as samples.",
                                modem_keys};

SimulatedModem read_modem(const ConfigSection& s, const std::map<std::string, std::string>& settings) {
    SimulatedModem out;
    out.port = s.text("port");
    out.when = when_of(s, settings);
    out.signal = s.text("signal");
    const SignalKind* kind = nullptr;
    s.at("signal", [&] { kind = &find_signal(out.signal); });
    if (!kind->complex) s.fail("signal", "is one of a voltage: modems send complex samples");
    out.parameters = s.pairs("parameters"), out.from_settings = s.pairs("from_settings");
    if (const auto least = s.quantity("attach_level")) {
        Attending attending;
        attending.least_dbm = least->value;
        attending.attach_s = s.quantity_or("attach_time", attending.attach_s);
        if (const auto drops = s.quantity("drops_after")) attending.drops_after_s = drops->value;
        attending.highest_dbm = s.quantity_or("highest_level", attending.highest_dbm);
        attending.lowest_dbm = s.quantity_or("lowest_level", attending.lowest_dbm);
        if (attending.lowest_dbm > attending.highest_dbm)
            s.fail("lowest_level", "is above the highest level");
        out.attending = attending;
    } else {
        for (const char* key : {"attach_time", "drops_after", "highest_level", "lowest_level"})
            if (s.has(key)) s.fail(key, "belongs to a modem that attends to a cell: give attach_level");
    }
    const auto told = [&](const std::string& name) {
        return out.attending ? told_by({}, *out.attending, name) : std::nullopt;
    };
    const auto text = [&](const char* key, std::string& value) {
        if (s.has(key)) value = s.text(key);
        if (!value.empty() && !settings.contains(value) && !told(value))
            s.fail(s.has(key) ? key : "signal", "the unit has no setting " + in_quotes(value));
    };
    text("frequency_setting", out.frequency_setting);
    text("level_setting", out.level_setting);
    text("index_setting", out.index_setting);
    text("table_setting", out.table_setting);
    Parameters tried(kind->parameters);
    for (const auto& [name, value] : out.parameters) s.at("parameters", [&] { tried.set(name, value); });
    for (const auto& [name, setting] : out.from_settings) {
        const auto of_cell = told(setting);
        if (!settings.contains(setting) && !of_cell)
            s.fail("from_settings", "the unit has no setting " + in_quotes(setting));
        // All blocks are none that is named.
        if (setting == "cell.blocks") continue;
        s.at("from_settings", [&] { tried.set(name, of_cell ? *of_cell : settings.at(setting)); });
    }
    out.gain_db = s.quantity_or("gain", 0);
    out.frequency_error_ppm = s.quantity_or("frequency_error", 0);
    out.drift_db = s.quantity_or("drift", 0);
    out.drift_s = s.quantity_or("drift_time", out.drift_s);
    out.index_level_dbm = s.quantity_or("index_level", out.index_level_dbm);
    out.index_step_db = s.quantity_or("index_step", out.index_step_db);
    out.last_index = static_cast<int>(s.whole("last_index").value_or(out.last_index));
    out.bend_db = s.quantity_or("bend", 0);
    out.ripple_db = s.quantity_or("ripple", 0);
    out.slope_db_per_100mhz = s.quantity_or("slope", 0);
    out.middle_hz = s.quantity_or("middle", 0);
    return out;
}

double SimulatedModem::level_at(int index, double hz) const {
    const double part = static_cast<double>(index) / std::max(1, last_index);
    return index_level_dbm + index_step_db * index - bend_db * part * part * part +
           ripple_db * std::sin(2.1 * index + 0.4) + slope_db_per_100mhz * (hz - middle_hz) / 100e6;
}

std::optional<int> index_in(const std::string& table, double hz, double level_dbm) {
    struct Row {
        double hz, dbm;
        int index;
    };
    std::vector<Row> rows;
    for (const auto row : split(table, ',')) {
        if (trim(row).empty()) continue;
        const auto cells = split(row, ':');
        if (cells.size() != 3) return std::nullopt;
        const auto mhz = to_double(trim(cells[0])), dbm = to_double(trim(cells[1])),
                   index = to_double(trim(cells[2]));
        if (!mhz || !dbm || !index) return std::nullopt;
        rows.push_back({*mhz * 1e6, *dbm, static_cast<int>(*index)});
    }
    const auto nearer = [&](const Row& a, const Row& b) {
        return std::pair(std::abs(a.hz - hz), std::abs(a.dbm - level_dbm)) <
               std::pair(std::abs(b.hz - hz), std::abs(b.dbm - level_dbm));
    };
    const auto at = std::min_element(rows.begin(), rows.end(), nearer);
    return at == rows.end() ? std::nullopt : std::optional(at->index);
}

std::optional<ArrivingIq> sent_by(const SimulatedModem& modem,
                                  const std::function<std::string(const std::string&)>& setting,
                                  double seconds) {
    const auto hz = quantity_in(setting(modem.frequency_setting), Unit::hertz);
    auto level = quantity_in(setting(modem.level_setting), Unit::dbm);
    if (!hz || !level) return std::nullopt;
    if (!modem.index_setting.empty()) {
        const std::string word = setting(modem.index_setting);
        std::optional<int> index;
        if (const auto number = to_double(word)) index = static_cast<int>(*number);
        if (lower(word) == "table" && !modem.table_setting.empty())
            index = index_in(setting(modem.table_setting), *hz, *level);
        if (!index || *index < 0 || *index > modem.last_index) return std::nullopt;
        level = modem.level_at(*index, *hz);
    }
    const SignalKind& kind = find_signal(modem.signal);
    Parameters parameters(kind.parameters);
    try {
        for (const auto& [name, value] : modem.parameters) parameters.set(name, value);
        for (const auto& [name, from] : modem.from_settings) {
            const std::string value = setting(from);
            if (from == "cell.blocks" && value == "0") continue;
            parameters.set(name, value);
        }
        parameters.fill_defaults();
        Made made = made_for(kind, parameters);
        const double drift = modem.drift_db * (1 - std::exp(-seconds / modem.drift_s));
        made.played.rate_hz *= 1 + modem.frequency_error_ppm * 1e-6;
        return ArrivingIq{std::move(made.played), *level + modem.gain_db + drift + made.above_level_db,
                          *hz * (1 + modem.frequency_error_ppm * 1e-6)};
    } catch (const Error&) {
        return std::nullopt;  // what it was told makes no signal: it sends nothing
    }
}

}  // namespace rt::lab
