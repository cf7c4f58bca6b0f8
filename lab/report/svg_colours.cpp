#include "lab/report/svg_colours.hpp"

#include <set>
#include <string_view>

namespace rt::lab {
namespace {

// The value of an attribute of a tag, "" without it.
std::string attribute(std::string_view tag, const std::string& name) {
    for (const char quote : {'\'', '"'}) {
        const auto at = tag.find(" " + name + "=" + quote);
        if (at == std::string_view::npos) continue;
        const auto begin = at + name.size() + 3;
        return std::string(tag.substr(begin, tag.find(quote, begin) - begin));
    }
    return "";
}

void drop(std::string& tag, const std::string& name) {
    for (const char quote : {'\'', '"'}) {
        const auto at = tag.find(" " + name + "=" + quote);
        if (at == std::string::npos) continue;
        tag.erase(at, tag.find(quote, at + name.size() + 3) + 1 - at);
    }
}

void put(std::string& tag, const std::string& name, const std::string& value) {
    drop(tag, name);
    const auto end = tag.find_last_not_of("/> \n");
    tag.insert(end + 1, " " + name + "='" + value + "'");
}

}  // namespace

std::string with_plain_colours(const std::string& svg) {
    std::string out;
    out.reserve(svg.size());
    std::set<std::string> filled;  // signs that are drawn full
    bool defining = false;
    for (std::size_t at = 0; at < svg.size();) {
        const auto open = svg.find('<', at);
        if (open == std::string::npos) {
            out += svg.substr(at);
            break;
        }
        const auto close = svg.find('>', open);
        if (close == std::string::npos) {
            out += svg.substr(at);
            break;
        }
        out += svg.substr(at, open - at);
        std::string tag = svg.substr(open, close + 1 - open);
        at = close + 1;
        if (tag.starts_with("<defs")) defining = true;
        if (tag.starts_with("</defs")) defining = false;
        if (defining) {
            // What a sign looks like; its colours come from its use.
            if (attribute(tag, "fill") == "currentColor") filled.insert(attribute(tag, "id"));
            if (attribute(tag, "fill") == "currentColor") drop(tag, "fill");
            if (attribute(tag, "stroke") == "currentColor" || attribute(tag, "stroke") == "none")
                drop(tag, "stroke");
        } else if (tag.starts_with("<use")) {
            const std::string colour = attribute(tag, "color"), sign = attribute(tag, "xlink:href");
            if (!colour.empty()) {
                put(tag, "stroke", colour);
                put(tag, "fill", sign.size() > 1 && filled.contains(sign.substr(1)) ? colour : "none");
            }
        } else if (attribute(tag, "stroke") == "currentColor") {
            const std::string colour = attribute(tag, "color");
            put(tag, "stroke", colour.empty() ? "black" : colour);
        }
        out += tag;
    }
    return out;
}

}  // namespace rt::lab
