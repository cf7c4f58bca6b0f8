#include "lab/formats/gathered.hpp"

#include <algorithm>

#include "core/base/text.hpp"

namespace rt::lab {

ManyErrors::ManyErrors(std::vector<Error> all) : Error(all.front()), all_(std::move(all)) {}

void Gathered::keep(const Error& error) {
    const auto follows = [&](const std::string& name) {
        return error.message().find(in_quotes(name)) != std::string::npos;
    };
    const auto told = [&](const Error& other) { return std::string(other.what()) == error.what(); };
    if (std::any_of(lacking_.begin(), lacking_.end(), follows)) return;
    if (std::none_of(errors_.begin(), errors_.end(), told)) errors_.push_back(error);
}

// The line in "file:line:column"; 0 for other places.
static long line_of(const Error& error) {
    const auto parts = split(error.place(), ':');
    return parts.size() < 2 ? 0 : static_cast<long>(to_double(parts[1]).value_or(0));
}

void Gathered::finish() const {
    if (errors_.empty()) return;
    if (errors_.size() == 1) throw Error(errors_.front());
    // Files in the order in which they were read, each from above.
    std::vector<std::string> files;
    const auto file_of = [&](const Error& error) {
        const std::string file(split(error.place(), ':').front());
        const auto at = std::find(files.begin(), files.end(), file);
        if (at == files.end()) files.push_back(file);
        return std::find(files.begin(), files.end(), file) - files.begin();
    };
    std::vector<std::pair<std::pair<std::ptrdiff_t, long>, Error>> placed;
    for (const auto& error : errors_) placed.push_back({{file_of(error), line_of(error)}, error});
    std::stable_sort(placed.begin(), placed.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    std::vector<Error> sorted;
    for (auto& one : placed) sorted.push_back(std::move(one.second));
    throw ManyErrors(std::move(sorted));
}

std::vector<ConfigSection> sections_of(const ConfigSection& parent, const ConfigNode& node, const char* key,
                                       const SectionInfo& info, Gathered& errors) {
    const ConfigNode* list = node.find(key);
    const auto is_section = [](const ConfigNode& item) { return item.kind == ConfigNode::Kind::table; };
    if (!list || list->kind != ConfigNode::Kind::list ||
        !std::all_of(list->items.begin(), list->items.end(), is_section))
        return parent.tables(key, info);
    std::vector<ConfigSection> out;
    for (const auto& item : list->items) {
        if (errors.at([&] { out.emplace_back(item, parent.file(), info); })) continue;
        for (const char* called : {"name", "role"}) {
            if (const ConfigNode* name = item.find(called)) errors.lacks(name->text);
        }
    }
    return out;
}

}  // namespace rt::lab
