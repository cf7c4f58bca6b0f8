#include "core/rules/rule_text.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/text.hpp"

namespace rt {
namespace {

std::string piece_text(const LimitPiece& piece, Unit unit) {
    const std::string band = hz(piece.from) + (std::isinf(piece.to) ? " and above" : " to " + hz(piece.to));
    if (piece.level_from == piece.level_to) return band + ": " + format({piece.level_from, unit});
    const char* along =
        piece.interpolation == Interpolation::linear ? "linear in frequency" : "linear in log frequency";
    return band + ": " + format({piece.level_from, unit}) + " to " + format({piece.level_to, unit}) + ", " +
           along;
}

void line_text(std::vector<std::string>& out, const std::string& head, const LimitLine& line, Unit unit) {
    for (const auto& piece : line.pieces()) out.push_back(head + piece_text(piece, unit));
}

void doubt_line(const LimitLine& line, std::vector<std::string>& out) {
    const auto& pieces = line.pieces();
    for (std::size_t i = 0; i + 1 < pieces.size(); ++i) {
        if (pieces[i + 1].from > pieces[i].to)
            out.push_back("the limit has a gap from " + hz(pieces[i].to) + " to " + hz(pieces[i + 1].from));
        if (pieces[i + 1].from < pieces[i].to)
            out.push_back("two pieces of the limit overlap from " + hz(pieces[i + 1].from) + " to " +
                          hz(pieces[i].to));
    }
}

}  // namespace

std::vector<std::string> limit_text(const Rule& rule) {
    std::vector<std::string> out;
    if (const auto* line = rule.line()) {
        line_text(out, line->sense() == Sense::upper ? "at most  " : "at least  ", *line, rule.unit);
    } else if (const auto* mask = rule.mask()) {
        const std::string around = mask->symmetric ? "|f - fc| " : "f - fc ";
        if (mask->relative) line_text(out, "relative to the reference, " + around, *mask->relative, Unit::db);
        if (mask->absolute) line_text(out, "absolute, " + around, *mask->absolute, rule.unit);
        if (mask->relative && mask->absolute) {
            out.push_back(mask->combine == Mask::Combine::both ? "both parts must hold"
                                                               : "one part is enough");
        }
    } else {
        const Bound& bound = *rule.bound();
        if (bound.min) out.push_back("at least  " + format({*bound.min, rule.unit}));
        if (bound.max) out.push_back("at most  " + format({*bound.max, rule.unit}));
        if (!rule.min_from.empty()) out.push_back("at least  the result " + rule.min_from);
        if (!rule.max_from.empty()) out.push_back("at most  the result " + rule.max_from);
        for (const auto& row : rule.rows) {
            std::string text;
            for (const auto& [name, value] : row.when)
                text += (text.empty() ? "" : ", ") + name + " " + value;
            if (row.bound.min) text += ": at least  " + format({*row.bound.min, rule.unit});
            if (row.bound.max)
                text += std::string(row.bound.min ? "," : ":") + " at most  " +
                        format({*row.bound.max, rule.unit});
            out.push_back(std::move(text));
        }
        if (rule.enough)
            out.push_back("or the result " + rule.enough->result + " at most " + format(rule.enough->max));
    }
    return out;
}

std::map<std::string, std::string> sayings(const Rule& rule) {
    std::map<std::string, std::string> out{
        {"title", rule.title},       {"clause", rule.clause},     {"quantity", rule.quantity},
        {"judges", rule.applies_to}, {"unit", pretty(rule.unit)}, {"confidence", name(rule.confidence)}};
    for (const auto& text : limit_text(rule)) out["limit"] += (out["limit"].empty() ? "" : "; ") + text;
    if (rule.detector) out["detector"] = name(*rule.detector);
    if (rule.bandwidth) out["bandwidth"] = format(*rule.bandwidth);
    if (rule.allowed_uncertainty)
        out["allowed uncertainty"] =
            format({*rule.allowed_uncertainty, is_decibel(rule.unit) ? Unit::db : rule.unit});
    if (rule.least_observation_s)
        out["least observation"] = format({*rule.least_observation_s, Unit::second});
    for (const auto& parameter : rule.needs_stated)
        out["requires"] += (out["requires"].empty() ? "" : ", ") + parameter;
    for (const auto& [key, value] : rule.conditions) out["condition " + key] = value;
    for (const auto& [key, value] : rule.presets) out["preset " + key] = value;
    return out;
}

std::string signed_text(RuleRef ref) {
    std::string out = ref.full_id() + "\n" + ref.book->standard + "\n" + ref.book->edition + "\n";
    // How sure the entry was is not what was checked.
    for (const auto& [what, text] : sayings(*ref.rule)) {
        if (what != "confidence") out += what + ": " + text + "\n";
    }
    return out;
}

std::vector<std::string> doubts(RuleRef ref, const std::vector<std::string>& products) {
    const Rule& rule = *ref.rule;
    std::vector<std::string> out;
    if (trim(rule.clause).empty()) out.push_back("cites no clause");
    if (rule.confidence == Confidence::unsure && !rule.sign_off)
        out.push_back("its values are unsure, and nobody has signed it off");
    if (std::find(products.begin(), products.end(), rule.applies_to) == products.end())
        out.push_back("judges " + in_quotes(rule.applies_to) +
                      ", which no procedure gives (a search may, under this name)");
    if (const auto* line = rule.line()) doubt_line(*line, out);
    if (const auto* mask = rule.mask()) {
        if (mask->relative) doubt_line(*mask->relative, out);
        if (mask->absolute) doubt_line(*mask->absolute, out);
    }
    const auto doubt_product = [&](const std::string& name) {
        if (std::find(products.begin(), products.end(), name) == products.end())
            out.push_back("looks at the result " + in_quotes(name) + ", which no procedure gives");
    };
    if (rule.enough) doubt_product(rule.enough->result);
    for (const auto& row : rule.rows) {
        for (const auto& [name, value] : row.when) {
            if (name.starts_with("result.")) doubt_product(name.substr(7));
        }
    }
    if (rule.line() && rule.applies_to == "emission" && !rule.detector)
        out.push_back("is a limit of emission and names no detector");
    return out;
}

}  // namespace rt
