#include "lab/proof/header_words.hpp"

#include <algorithm>

#include "core/base/text.hpp"

namespace rt::lab {
namespace {

// What headers for a command contain, in short forms: from the lists that instruments give of themselves.
struct Words {
    const char* command;
    std::vector<std::string> any;
    std::vector<std::string> none = {};
};
const std::vector<Words>& meant_by() {
    static const std::vector<Words> all{
        {"set_start", {"star", "fstart"}, {"time", "trig"}},
        {"set_stop", {"stop", "fstop"}, {"time", "trig", "meas"}},
        {"set_points", {"poin"}, {"trac"}},
        {"set_bandwidth", {"rbw", "band", "bwid", "filt", "resb"}, {"vid", "vbw", "auto"}},
        {"set_detector", {"det"}},
        {"set_dwell", {"dwel", "mtim", "meast", "apert"}},
        {"set_reference", {"rlev", "refl"}, {"offs"}},
        {"set_attenuation", {"att"}, {"auto", "step"}},
        {"couple_attenuation", {"att:auto", "autoatt", "atta"}},
        {"set_unit", {"unit"}},
        {"set_frequency", {"freq", "cw"}, {"star", "stop", "span", "cent"}},
        {"set_level", {"pow", "lev", "ampl"}, {"unit", "offs"}},
        {"set_output", {"outp", "outs", "rfon"}},
        {"set_modulation", {"mod"}},
        {"set_voltage", {"volt"}, {"meas", "prot"}},
        {"set_current", {"curr"}, {"meas", "prot"}},
        {"set_averages", {"aver:coun", "avg"}},
        {"set_span", {"swe:time", "tspan", "scal"}, {"step", "poin"}},
        {"set_power", {"pow"}},
        {"set_parameter", {"par"}, {"coun"}},
        {"sweep", {"init", "run", "sing", "swe:star"}, {"cont", "samp"}},
        {"acquire", {"init", "run", "sing", "acq"}, {"cont"}},
        {"read_trace", {"trac", "curv", "data"}, {"form", "poin", "samp"}},
        {"read_waveform", {"trac", "curv", "data"}, {"form", "poin"}},
        {"read_power", {"read", "meas", "fetc"}},
        {"query_overload", {"over", "ques"}, {"enab", "cond"}},
        {"query_preamble", {"prea", "wfmp", "scal"}},
    };
    return all;
}

}  // namespace

std::string header_of(const std::string& text) {
    return text.substr(0, std::min(text.find_first_of(" ;"), text.size()));
}

std::string plain_header(std::string_view header) {
    std::string out;
    for (const char c : header) {
        if (c != '[' && c != ']') out += c;
    }
    return out;
}

std::vector<std::string> meant_headers(const std::string& command, const std::vector<std::string>& headers) {
    std::vector<std::string> out;
    for (const auto& entry : meant_by()) {
        if (command != entry.command) continue;
        for (const auto& header : headers) {
            const std::string low = lower(header);
            const auto in = [&](const std::string& word) { return low.find(word) != std::string::npos; };
            if (std::any_of(entry.any.begin(), entry.any.end(), in) &&
                std::none_of(entry.none.begin(), entry.none.end(), in))
                out.push_back(header);
        }
    }
    return out;
}

}  // namespace rt::lab
