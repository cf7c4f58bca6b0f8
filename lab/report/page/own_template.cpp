#include "lab/report/page/own_template.hpp"

#include <algorithm>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/report/plain_text.hpp"

namespace rt::lab {
namespace {

// Looks at every tag before anything is filled in.
class TagChecker {
  public:
    TagChecker(const std::string& text, const std::string& file) : text_(text), file_(file) {}

    void check(const PageData& values) {
        contexts_ = {&values};
        while (const auto tag = next()) {
            if (tag->kind == '!') continue;
            if (tag->kind == '>' || tag->kind == '=')
                fail("{{" + std::string(1, tag->kind) + "...}}: partials and other delimiters are not known");
            if (tag->kind == '/') {
                close(tag->name);
            } else if (tag->kind == '#' || tag->kind == '^') {
                open(*tag);
            } else if (!silent() && !find(tag->name)) {
                fail("there is no value " + in_quotes(tag->name) + suggestion(tag->name, known(tag->name)) +
                     "; a value that may be missing stands in a section of its own name");
            }
        }
        if (!open_.empty()) fail("section {{#" + open_.back().name + "}} is not closed");
    }

  private:
    struct Tag {
        char kind;  // # ^ / ! > = or a blank
        std::string name;
    };
    struct Open {
        std::string name;
        bool pushed, quiet;
    };

    std::optional<Tag> next() {
        const auto begin = text_.find("{{", at_);
        if (begin == std::string::npos) return std::nullopt;
        place_ = begin;
        const bool triple = text_.compare(begin, 3, "{{{") == 0;
        const std::string ending = triple ? "}}}" : "}}";
        const auto end = text_.find(ending, begin);
        if (end == std::string::npos) fail("{{ is not closed by }}");
        std::string_view inside(text_);
        inside = inside.substr(begin + ending.size(), end - begin - ending.size());
        at_ = end + ending.size();
        Tag tag{' ', ""};
        if (!triple && !inside.empty() &&
            std::string_view("#^/!>=&").find(inside.front()) != std::string::npos) {
            tag.kind = inside.front();
            inside.remove_prefix(1);
        }
        tag.name = std::string(trim(inside));
        return tag;
    }
    bool silent() const {
        return std::any_of(open_.begin(), open_.end(), [](const Open& o) { return o.quiet; });
    }
    void open(const Tag& tag) {
        const PageData* value = silent() ? nullptr : find(tag.name);
        Open entry{tag.name, false, false};
        if (tag.kind == '#') {
            // What is missing or empty is passed over: nothing is known of its inside.
            const bool nothing = !value || value->is_false() || value->is_empty_list();
            entry.quiet = nothing;
            if (!nothing && value->is_non_empty_list()) {
                contexts_.push_back(&value->list_value().front());
                entry.pushed = true;
            } else if (!nothing && value->is_object()) {
                contexts_.push_back(value);
                entry.pushed = true;
            }
        }
        open_.push_back(entry);
    }
    void close(const std::string& name) {
        if (open_.empty() || open_.back().name != name)
            fail("{{/" + name + "}} closes " +
                 (open_.empty() ? "nothing" : "section {{#" + open_.back().name + "}}"));
        if (open_.back().pushed) contexts_.pop_back();
        open_.pop_back();
    }
    const PageData* find(const std::string& name) const {
        if (name == ".") return contexts_.back();
        const auto parts = split(std::string_view(name), '.');
        for (auto context = contexts_.rbegin(); context != contexts_.rend(); ++context) {
            const PageData* at =
                (*context)->is_object() ? (*context)->get(std::string(parts.front())) : nullptr;
            if (!at) continue;
            for (std::size_t i = 1; at && i < parts.size(); ++i)
                at = at->is_object() ? at->get(std::string(parts[i])) : nullptr;
            return at;
        }
        return nullptr;
    }
    // Names that could have been meant: kainjow's data cannot be gone through, so candidates are asked for.
    std::vector<std::string> known(const std::string& name) const {
        static const char* const common[] = {"title",
                                             "customer",
                                             "operator",
                                             "model",
                                             "serial",
                                             "started",
                                             "ended",
                                             "made",
                                             "version",
                                             "company",
                                             "contact",
                                             "heading",
                                             "pass",
                                             "marginal",
                                             "fail",
                                             "none",
                                             "total",
                                             "verdict",
                                             "test",
                                             "point",
                                             "rule",
                                             "rule_title",
                                             "clause",
                                             "value",
                                             "limit",
                                             "margin",
                                             "unit",
                                             "margin_unit",
                                             "at",
                                             "reason",
                                             "place",
                                             "name",
                                             "label",
                                             "results",
                                             "findings",
                                             "tests",
                                             "parts",
                                             "rules",
                                             "unit.maker",
                                             "unit.model",
                                             "unit.serial",
                                             "unit.hardware",
                                             "unit.firmware",
                                             "unit.description",
                                             "environment.temperature",
                                             "environment.humidity",
                                             "report.company",
                                             "report.address"};
        std::vector<std::string> out;
        for (const char* word : common) {
            if (find(word)) out.emplace_back(word);
        }
        // test.NAME.SOMETHING with another last part.
        const auto dot = name.rfind('.');
        if (dot != std::string::npos) {
            for (const char* last : {"title", "verdict", "margin", "where", "figure", "table", "points",
                                     "pass", "fail", "none", "marginal", "procedure"}) {
                if (find(name.substr(0, dot + 1) + last)) out.push_back(name.substr(0, dot + 1) + last);
            }
        }
        return out;
    }
    [[noreturn]] void fail(const std::string& message) const {
        const auto line =
            1 + std::count(text_.begin(), text_.begin() + static_cast<std::ptrdiff_t>(place_), '\n');
        fail_input(file_ + ":" + std::to_string(line), message);
    }

    const std::string& text_;
    const std::string& file_;
    std::size_t at_ = 0, place_ = 0;
    std::vector<const PageData*> contexts_;
    std::vector<Open> open_;
};

}  // namespace

bool makes_markup(const std::filesystem::path& name) {
    auto made = name.filename();
    if (made.extension() == ".mustache") made = made.stem();
    const std::string ending = lower(made.extension().string());
    return ending == ".html" || ending == ".htm" || ending == ".xml" || ending == ".svg" ||
           ending == ".xhtml";
}

std::string fill_template(const std::string& text, const std::string& file, const PageData& values,
                          bool markup) {
    TagChecker(text, file).check(values);
    kainjow::mustache::mustache filled(text);
    if (!filled.is_valid()) fail_input(file, filled.error_message());
    filled.set_custom_escape(
        [markup](const std::string& raw) { return markup ? markup_text(raw) : plain_text(raw); });
    return filled.render(values);
}

}  // namespace rt::lab
