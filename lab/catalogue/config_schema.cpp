#include "lab/catalogue/config_schema.hpp"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "core/base/text.hpp"

namespace rt::lab {
namespace {

using Json = nlohmann::ordered_json;

// "[[test.judge]]" as "test.judge"; "" for the file itself.
std::string path_of(const SectionInfo& section) {
    std::string out = section.title;
    if (!out.starts_with('[')) return out == "the file" ? "" : out;
    std::erase(out, '[');
    std::erase(out, ']');
    return out;
}

// The section that a key of another one holds: by its whole path, or by its own name.
const SectionInfo* held_by(const FileInfo& file, const SectionInfo& section, const std::string& key) {
    const std::string base = path_of(section), whole = base.empty() ? key : base + "." + key;
    for (const std::string& wanted : {whole, key}) {
        for (const SectionInfo* one : file.sections) {
            const std::string path = path_of(*one);
            for (const auto part : split(path, ',')) {
                if (std::string(trim(part)) == wanted) return one;
            }
        }
    }
    return nullptr;
}

Json schema_of(const FileInfo& file, const SectionInfo& section);

Json any_word() {
    return {{"type", {"string", "number", "boolean"}}};
}

Json pairs() {
    return {{"type", "object"}, {"additionalProperties", any_word()}};
}

Json list_of(Json items) {
    return {{"type", "array"}, {"items", std::move(items)}};
}

Json schema_of(const FileInfo& file, const SectionInfo& section, const KeyInfo& key) {
    const auto held = [&]() -> Json {
        const SectionInfo* inner = held_by(file, section, key.name);
        if (!inner || inner == &section) return {{"type", "object"}};
        return schema_of(file, *inner);
    };
    switch (key.kind) {
        case Key::text:
            return {{"type", {"string", "number"}}};
        case Key::texts:
            return list_of({{"type", "string"}});
        case Key::word:
            return any_word();
        case Key::words:
            return list_of(any_word());
        case Key::whole:
            return {{"type", "integer"}};
        case Key::wholes:
            return list_of({{"type", "integer"}});
        case Key::flag:
            return {{"type", "boolean"}};
        case Key::quantity:
            return {{"type", {"string", "number"}}};
        case Key::date:
            return {{"type", "string"}};
        case Key::pairs:
            return pairs();
        case Key::pairs_list:
            return list_of(pairs());
        case Key::table:
            return held();
        case Key::tables:
            return list_of(held());
    }
    return Json::object();
}

Json schema_of(const FileInfo& file, const SectionInfo& section) {
    Json properties = Json::object(), required = Json::array();
    std::string unless = section.unless;
    for (const KeyInfo& key : section.keys) {
        Json one = schema_of(file, section, key);
        one["description"] = key.help;
        properties[key.name] = std::move(one);
        if (key.required) required.push_back(key.name);
        if (std::string_view(key.name) == "like") unless = key.name;
    }
    Json out{{"type", "object"}, {"properties", std::move(properties)}, {"additionalProperties", false}};
    if (*section.help) out["description"] = section.help;
    // What is like another one may leave everything out.
    if (!unless.empty() && !required.empty())
        out["anyOf"] = {Json{{"required", required}}, Json{{"required", {unless}}}};
    else if (!required.empty())
        out["required"] = std::move(required);
    return out;
}

}  // namespace

std::string config_schema(const FileInfo& file) {
    Json out{{"$schema", "http://json-schema.org/draft-07/schema#"},
             {"title", std::string(file.name) + " file of Rare Tally"}};
    const auto root = std::find_if(file.sections.begin(), file.sections.end(),
                                   [](const SectionInfo* section) { return path_of(*section).empty(); });
    out.update(schema_of(file, root == file.sections.end() ? *file.sections.front() : **root));
    return out.dump(2) + "\n";
}

}  // namespace rt::lab
