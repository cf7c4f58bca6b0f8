#include "lab/formats/correction_file.hpp"

#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/csv_table.hpp"
#include "lab/formats/touchstone.hpp"

namespace rt::lab {
namespace {

CorrectionFile from_network(std::string_view text, const std::string& file, std::size_t ports) {
    const Network network = parse_touchstone(text, file, ports);
    if (network.ports < 2) fail_input(file, "has one port: the loss of a path needs S21");
    std::vector<double> loss;
    for (std::size_t i = 0; i < network.frequency_hz.size(); ++i) {
        loss.push_back(-20 * std::log10(std::abs(network.at(i, 2, 1))));
    }
    return {CorrectionTable(network.frequency_hz, loss), false, ""};
}

}  // namespace

CorrectionFile parse_correction(std::string_view text, const std::filesystem::path& file) {
    const std::string ending = lower(file.extension().string());
    try {
        if (ending == ".ts") return from_network(text, file.string(), 0);
        if (ending.size() == 4 && ending.starts_with(".s") && ending.back() == 'p') {
            return from_network(text, file.string(), static_cast<std::size_t>(ending[2] - '0'));
        }
        const CsvTable csv(text, file.string());
        const CsvColumn& frequency = csv.required("frequency");
        if (!frequency.unit || frequency.unit->unit != Unit::hertz) {
            fail_input(file.string(), "the column frequency states no unit: write frequency [MHz]");
        }
        const CsvColumn* value = csv.find("loss");
        const CsvColumn* gain = csv.find("gain");
        const CsvColumn* factor = csv.find("factor");
        if ((value != nullptr) + (gain != nullptr) + (factor != nullptr) != 1) {
            fail_input(file.string(), "needs one of the columns loss [dB], gain [dB] and factor [dB/m]");
        }
        if (!value) value = gain ? gain : factor;
        const Unit unit = factor ? Unit::db_per_metre : Unit::db;
        if (!value->unit || value->unit->unit != unit) {
            fail_input(file.string(), "the column " + value->name + " must be in " + symbol(unit));
        }
        std::vector<double> hz, db;
        for (std::size_t row = 0; row < csv.rows(); ++row) {
            hz.push_back(csv.number(frequency, row));
            db.push_back((gain ? -1 : 1) * csv.number(*value, row));
        }
        const std::string between = csv.remark("interpolation");
        if (!between.empty() && between != "frequency" && between != "log frequency") {
            fail_input(file.string(),
                       "unknown interpolation " + in_quotes(between) + ": write frequency or log frequency");
        }
        return {CorrectionTable(std::move(hz), std::move(db),
                                between == "frequency" ? Between::frequency : Between::log_frequency),
                factor != nullptr, csv.remark("valid_until")};
    } catch (const Error& error) {
        if (!error.place().empty()) throw;
        fail_input(file.string(), error.message());
    }
}

std::string correction_csv(const CorrectionTable& table, const std::string& taken,
                           const std::string& valid_until) {
    std::string out = "# taken: " + taken + "\n";
    if (!valid_until.empty()) out += "# valid_until: " + valid_until + "\n";
    if (table.between() == Between::frequency) out += "# interpolation: frequency\n";
    out += "frequency [Hz],loss [dB]\n";
    for (std::size_t i = 0; i < table.db().size(); ++i)
        out += exact(table.frequency_hz()[i]) + "," + exact(table.db()[i]) + "\n";
    return out;
}

}  // namespace rt::lab
