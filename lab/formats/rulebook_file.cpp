#include "lab/formats/rulebook_file.hpp"

#include <algorithm>
#include <array>
#include <limits>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/rules/circumstances.hpp"

namespace rt::lab {
namespace {

constexpr std::array book_keys{
    KeyInfo{"id", Key::text, true, "short name that campaigns use; the shipped ones are standard-number"},
    KeyInfo{"title", Key::text, true, "what the book covers"},
    KeyInfo{"standard", Key::text, true, "the published standard"},
    KeyInfo{"edition", Key::text, true, "edition, year and amendments"},
    KeyInfo{"basis", Key::text, true, "how the values were obtained"},
    KeyInfo{"layered_on", Key::text, false,
            "id of a book whose rules hold here too; rules of the same id state only what they change"},
};

constexpr std::array plan_keys{
    KeyInfo{"id", Key::text, true, "short name, unique in the book"},
    KeyInfo{"first", Key::whole, true, "lowest channel number"},
    KeyInfo{"last", Key::whole, true, "highest channel number"},
    KeyInfo{"base", Key::quantity, true, "frequency of the lowest channel", Unit::hertz},
    KeyInfo{"spacing", Key::quantity, true, "distance between neighbouring channels", Unit::hertz},
};

constexpr std::array rule_keys{
    KeyInfo{"id", Key::text, true, "short name, unique in the book"},
    KeyInfo{"title", Key::text, true, "what is limited, in one line"},
    KeyInfo{"clause", Key::text, true, "clause or table of the standard"},
    KeyInfo{"quantity", Key::text, true, "the measured quantity"},
    KeyInfo{"applies_to", Key::text, true, "trace or result of the procedure that is judged"},
    KeyInfo{"unit", Key::text, true, "unit of the limit"},
    KeyInfo{"kind", Key::text, true, "line, mask or bound"},
    KeyInfo{"sense", Key::text, false, "upper (the usual case) or lower limit; lines only"},
    KeyInfo{"pieces", Key::tables, false, "line: its pieces in ascending order"},
    KeyInfo{"relative", Key::tables, false, "mask: pieces in dB above the reference level, against offset"},
    KeyInfo{"absolute", Key::tables, false, "mask: pieces in the rule's unit, against offset"},
    KeyInfo{"combine", Key::text, false, "mask with both parts: both must hold, or either is enough"},
    KeyInfo{"one_sided", Key::flag, false, "mask: offsets carry a sign instead of holding on both sides"},
    KeyInfo{"cover_to", Key::quantity, false, "mask without outer end: how far out the trace must reach",
            Unit::hertz},
    KeyInfo{"min", Key::quantity, false, "bound: lowest allowed value"},
    KeyInfo{"max", Key::quantity, false, "bound: highest allowed value"},
    KeyInfo{"row", Key::tables, false,
            "bound: rows for different values of parameters, axes or details of the unit; one must fit"},
    KeyInfo{"min_from", Key::text, false,
            "bound: a result that is the lowest allowed value: \"low_alarm\", or \"TEST/RESULT\" of another "
            "test"},
    KeyInfo{"max_from", Key::text, false, "the same for the highest"},
    KeyInfo{"enough", Key::table, false, "bound: another result that is enough by itself"},
    KeyInfo{"marginal", Key::quantity, false, "margins below this are MARGINAL; 3 dB for levels without it"},
    KeyInfo{"allowed_uncertainty", Key::quantity, false, "expanded uncertainty that the standard allows for"},
    KeyInfo{"detector", Key::text, false, "detector that the limit is for"},
    KeyInfo{"bandwidth", Key::quantity, false, "resolution bandwidth that the limit is for", Unit::hertz},
    KeyInfo{"least_observation", Key::quantity, false,
            "how long the signal must have been observed; shorter gives no verdict", Unit::second},
    KeyInfo{
        "requires", Key::texts, false,
        "what must be stated: a parameter of the procedure (gain: a default is no statement), \"unit.NAME\", "
        "\"instrument.bandwidth >= 2 GHz\""},
    KeyInfo{"conditions", Key::pairs, false, "further conditions: port, class, distance, site ..."},
    KeyInfo{"presets", Key::pairs, false, "procedure parameters that the clause fixes"},
    KeyInfo{"basis", Key::text, false, "how this value was obtained, if other than the book's"},
    KeyInfo{"confidence", Key::text, true, "sure, fairly sure or unsure: before the lab signs off"},
    KeyInfo{"note", Key::text, false, "remark for the reader"},
    KeyInfo{"sign_off", Key::table, false, "who checked the rule against the lab's copy"},
};

constexpr std::array row_keys{
    KeyInfo{"when", Key::pairs, true,
            "what must be so: \"parameter.NAME\", \"axis.NAME\", \"unit.NAME\", \"instrument.NAME\" or "
            "\"result.NAME\" (of the same measurement) with a value, or \"1 GHz to 2 GHz\", the second not "
            "included"},
    KeyInfo{"min", Key::quantity, false, "lowest allowed value there"},
    KeyInfo{"max", Key::quantity, false, "highest allowed value there"},
};

constexpr std::array enough_keys{
    KeyInfo{"result", Key::text, true, "another result of the same measurement, such as adjacent_power"},
    KeyInfo{"max", Key::quantity, true, "at most so much of it meets the rule, whatever its own limit says"},
};

constexpr std::array piece_keys{
    KeyInfo{"from", Key::quantity, true, "lower end, included", Unit::hertz},
    KeyInfo{"to", Key::quantity, false, "upper end, included; without it the piece has no end", Unit::hertz},
    KeyInfo{"limit", Key::quantity, true, "the limit, at the lower end if it slopes"},
    KeyInfo{"limit_to", Key::quantity, false, "the limit at the upper end of a slope"},
    KeyInfo{"interpolation", Key::text, false, "of a slope: log-frequency or linear"},
};

constexpr std::array sign_off_keys{
    KeyInfo{"by", Key::text, true, "name"},
    KeyInfo{"on", Key::date, true, "date"},
    KeyInfo{"document", Key::text, true, "the lab's copy of the standard"},
};

constexpr SectionInfo sign_off_section{"[rule.sign_off]", "The lab's sign-off of one rule.", sign_off_keys};
constexpr SectionInfo row_section{"[[rule.row]]", "One row of a bound that is not the same everywhere.",
                                  row_keys};
constexpr SectionInfo enough_section{"[rule.enough]", "What is enough by itself.", enough_keys};
constexpr SectionInfo piece_section{"pieces, relative, absolute", "One piece of a limit line or mask part.",
                                    piece_keys};
constexpr SectionInfo rule_section{"[[rule]]", "One published limit.", rule_keys};
constexpr SectionInfo plan_section{"[[plan]]", "Channel numbers and their frequencies.", plan_keys};
constexpr SectionInfo book_section{"[rulebook]", "The standard.", book_keys};

constexpr std::array rulebook_root_keys{
    KeyInfo{"rulebook", Key::table, true, "the standard"},
    KeyInfo{"plan", Key::tables, false, "channel plans"},
    KeyInfo{"rule", Key::tables, true, "the limits"},
};
constexpr SectionInfo rulebook_root{"the file", "", rulebook_root_keys};

constexpr std::array<const SectionInfo*, 8> rulebook_sections{
    &rulebook_root, &book_section,  &plan_section,   &rule_section,
    &row_section,   &piece_section, &enough_section, &sign_off_section};

// A word out of a fixed list; `otherwise` when the key is absent.
std::string choice(const ConfigSection& section, const char* key, const std::vector<std::string>& known,
                   const std::string& otherwise) {
    const std::string word = section.has(key) ? section.text(key) : otherwise;
    if (std::find(known.begin(), known.end(), word) == known.end()) {
        section.fail(key, "unknown word " + in_quotes(word) + suggestion(word, known));
    }
    return word;
}

LimitPiece read_piece(const ConfigSection& section, Unit unit) {
    LimitPiece piece;
    piece.from = section.quantity("from")->value;
    const auto to = section.quantity("to");
    piece.to = to ? to->value : std::numeric_limits<double>::infinity();
    piece.level_from = section.quantity_in("limit", unit)->value;
    const auto slope = section.quantity_in("limit_to", unit);
    piece.level_to = slope ? slope->value : piece.level_from;
    const auto kind = choice(section, "interpolation", {"log-frequency", "linear"}, "linear");
    if (slope && !section.has("interpolation")) {
        section.fail("limit_to", "a slope needs interpolation = \"log-frequency\" or \"linear\"");
    }
    piece.interpolation = kind == "linear" ? Interpolation::linear : Interpolation::log_frequency;
    return piece;
}

std::optional<LimitLine> read_line(const ConfigSection& rule, const char* key, Unit unit, Sense sense) {
    if (!rule.has(key)) return std::nullopt;
    std::vector<LimitPiece> pieces;
    for (const auto& piece : rule.tables(key, piece_section)) pieces.push_back(read_piece(piece, unit));
    std::optional<LimitLine> line;
    rule.at(key, [&] { line.emplace(std::move(pieces), sense); });
    return line;
}

LimitLine read_limit_line(const ConfigSection& section, Unit unit) {
    const auto sense = choice(section, "sense", {"upper", "lower"}, "upper");
    auto line = read_line(section, "pieces", unit, sense == "upper" ? Sense::upper : Sense::lower);
    if (!line) section.fail("kind", "a line needs pieces");
    return *line;
}

Mask read_mask(const ConfigSection& section, Unit unit) {
    Mask mask;
    mask.relative = read_line(section, "relative", Unit::db, Sense::upper);
    mask.absolute = read_line(section, "absolute", unit, Sense::upper);
    if (!mask.relative && !mask.absolute) section.fail("kind", "a mask needs relative or absolute pieces");
    mask.combine = choice(section, "combine", {"both", "either"}, "both") == "both" ? Mask::Combine::both
                                                                                    : Mask::Combine::either;
    mask.symmetric = !section.flag("one_sided");
    return mask;
}

Bound read_bound(const ConfigSection& section, Unit unit) {
    Bound bound;
    if (const auto min = section.quantity_in("min", unit)) bound.min = min->value;
    if (const auto max = section.quantity_in("max", unit)) bound.max = max->value;
    const bool looked_up = section.has("row") || section.has("min_from") || section.has("max_from");
    if (!bound.min && !bound.max && !looked_up)
        section.fail("kind", "a bound needs min or max, rows, min_from or max_from");
    if (section.has("row") && (bound.min || bound.max))
        section.fail("row", "the bounds stand in the rows, not beside them");
    for (const auto& [fixed, from] : {std::pair{"min", "min_from"}, {"max", "max_from"}}) {
        if (section.has(fixed) && section.has(from)) section.fail(from, std::string("goes with no ") + fixed);
    }
    if (bound.min && bound.max && *bound.min > *bound.max) section.fail("min", "is above max");
    return bound;
}

Rule read_rule(const ConfigSection& section) {
    const std::string unit_text = section.text("unit");
    const auto spelled = parse_unit(unit_text);
    if (!spelled || spelled->exponent != 0 || spelled->factor != 1) {
        section.fail("unit",
                     "unknown unit " + in_quotes(unit_text) + ": write it without prefix, such as \"dBuV\"");
    }
    const Unit unit = spelled->unit;
    const auto kind = choice(section, "kind", {"line", "mask", "bound"}, "");
    auto limit = [&]() -> std::variant<LimitLine, Mask, Bound> {
        if (kind == "line") return read_limit_line(section, unit);
        if (kind == "mask") return read_mask(section, unit);
        return read_bound(section, unit);
    }();
    Rule rule{.id = section.text("id"),
              .title = section.text("title"),
              .clause = section.text("clause"),
              .quantity = section.text("quantity"),
              .applies_to = section.text("applies_to"),
              .unit = unit,
              .limit = std::move(limit),
              .detector = {},
              .bandwidth = section.quantity("bandwidth"),
              .conditions = section.pairs("conditions"),
              .presets = section.pairs("presets"),
              .marginal = {},
              .allowed_uncertainty = {},
              .cover_to = {},
              .basis = section.text("basis"),
              .confidence = Confidence::unsure,
              .note = section.text("note"),
              .sign_off = {},
              .changed_from = {}};
    if (const auto least = section.quantity("least_observation")) rule.least_observation_s = least->value;
    rule.needs_stated = section.texts("requires");
    rule.min_from = section.text("min_from"), rule.max_from = section.text("max_from");
    for (const auto& part : section.tables("row", row_section)) {
        Bound own;
        if (const auto min = part.quantity_in("min", unit)) own.min = min->value;
        if (const auto max = part.quantity_in("max", unit)) own.max = max->value;
        if (!own.min && !own.max) part.fail("when", "the row needs min or max");
        if (own.min && own.max && *own.min > *own.max) part.fail("min", "is above max");
        rule.rows.push_back({part.pairs("when"), own});
    }
    if (const auto enough = section.table("enough", enough_section)) {
        if (kind != "bound") section.fail("enough", "goes with kind = \"bound\"");
        rule.enough = Enough{enough->text("result"), *enough->quantity("max")};
    }
    if (rule.looked_up() && kind != "bound")
        section.fail("kind", "rows and limits out of results go with kind = \"bound\"");
    section.at(rule.rows.empty() ? "requires" : "row", [&] { require_sayable(rule); });
    if (section.has("detector"))
        rule.detector = parse_detector(choice(section, "detector", detector_names(), ""));
    rule.confidence = *parse_confidence(choice(section, "confidence", {"sure", "fairly sure", "unsure"}, ""));
    const Unit margin_unit = is_decibel(unit) ? Unit::db : unit;
    if (const auto marginal = section.quantity_in("marginal", margin_unit)) rule.marginal = marginal->value;
    if (const auto allowed = section.quantity_in("allowed_uncertainty", margin_unit))
        rule.allowed_uncertainty = allowed->value;
    if (const auto cover = section.quantity("cover_to")) rule.cover_to = cover->value;
    if (const auto signed_off = section.table("sign_off", sign_off_section)) {
        rule.sign_off = SignOff{signed_off->text("by"), signed_off->text("on"), signed_off->text("document")};
    }
    return rule;
}

}  // namespace

const FileInfo rulebook_file{"rulebook", "Published limits as data. The shipped ones are in rulebooks/.",
                             rulebook_sections};

// The rules of a node, by id.
static const ConfigNode* rule_node(const ConfigNode& root, const std::string& id) {
    const ConfigNode* rules = root.find("rule");
    for (std::size_t i = 0; rules && i < rules->items.size(); ++i) {
        const ConfigNode* own = rules->items[i].find("id");
        if (own && own->text == id) return &rules->items[i];
    }
    return nullptr;
}

// Rules that the layer below has too get what they leave out from there. A sign-off is of the values it stood
// beside.
static void complete_rules(ConfigNode& node, const ConfigNode& below) {
    for (auto& [key, rules] : node.entries) {
        if (key != "rule") continue;
        for (ConfigNode& rule : rules.items) {
            const ConfigNode* id = rule.find("id");
            const ConfigNode* other = id ? rule_node(below, id->text) : nullptr;
            if (!other) continue;
            for (const auto& [name, value] : other->entries) {
                const bool own = name == "sign_off" || name == "basis" || rule.find(name);
                if (!own) rule.entries.emplace_back(name, value);
            }
        }
    }
}

std::string layered_on(std::string_view content, const std::string& file) {
    const ConfigNode node = parse_config(content, file);
    const ConfigNode* book = node.find("rulebook");
    const ConfigNode* on = book ? book->find("layered_on") : nullptr;
    return on ? on->text : "";
}

Rulebook read_rulebook(std::string_view content, const std::string& file, const LayerBelow& below) {
    ConfigNode node = parse_config(content, file);
    if (below.book) complete_rules(node, parse_config(below.text, below.file));
    const ConfigSection root(node, file, rulebook_root);
    const ConfigSection head = *root.table("rulebook", book_section);
    if (head.has("layered_on") && !below.book)
        head.fail("layered_on", "the book " + in_quotes(head.text("layered_on")) + " is not at hand");
    Rulebook book{head.text("id"),
                  head.text("title"),
                  head.text("standard"),
                  head.text("edition"),
                  head.text("basis"),
                  head.text("layered_on"),
                  {},
                  {}};
    for (const auto& plan : root.tables("plan", plan_section)) {
        book.plans.push_back({plan.text("id"), static_cast<int>(*plan.whole("first")),
                              static_cast<int>(*plan.whole("last")), plan.quantity("base")->value,
                              plan.quantity("spacing")->value});
    }
    for (const auto& section : root.tables("rule", rule_section)) {
        Rule rule = read_rule(section);
        if (book.find(rule.id)) section.fail("id", in_quotes(rule.id) + " is the id of an earlier rule");
        if (rule.basis.empty()) rule.basis = book.basis;
        if (below.book && below.book->find(rule.id)) rule.changed_from = below.book->id + "/" + rule.id;
        book.rules.push_back(std::move(rule));
    }
    if (below.book) {
        for (const Rule& rule : below.book->rules) {
            if (!book.find(rule.id)) book.rules.push_back(rule);
        }
        for (const ChannelPlan& plan : below.book->plans) {
            if (!book.find_plan(plan.id)) book.plans.push_back(plan);
        }
    }
    return book;
}

}  // namespace rt::lab
