#include "lab/formats/rule_library.hpp"

#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/sign_off_file.hpp"

namespace rt::lab {

void RuleLibrary::add(const std::filesystem::path& file, const std::string& reference) {
    add_text(file, read_file(file), reference);
}

void RuleLibrary::add_text(const std::filesystem::path& file, std::string content,
                           const std::string& reference) {
    if (holds_sign_offs(content, file.string())) {
        sign_offs_.push_back({file, std::move(content), reference});
        sign(sign_offs_.back());
        return;
    }
    Rulebook book = read(content, file.string());
    for (const auto& entry : entries_) {
        if (entry.book.id == book.id) {
            fail_input(file.string(),
                       "rulebook id " + in_quotes(book.id) + " is taken by " + entry.file.string());
        }
    }
    entries_.push_back({std::move(book), file, std::move(content), reference, true});
}

Rulebook RuleLibrary::read(const std::string& content, const std::string& file) const {
    const std::string base = layered_on(content, file);
    if (base.empty()) return read_rulebook(content, file);
    const Entry& below = find_book(base, file);
    // Two layers are read as one: the text below would not be whole.
    if (!below.book.layered_on.empty()) {
        fail_input(file, "rulebook " + in_quotes(base) + " is layered itself: layer on " +
                             in_quotes(below.book.layered_on));
    }
    return read_rulebook(content, file, {&below.book, below.text, below.file.string()});
}

void RuleLibrary::add_folder(const std::filesystem::path& folder) {
    std::set<std::filesystem::path> files;
    std::error_code error;
    for (const auto& entry : std::filesystem::directory_iterator(folder, error)) {
        if (entry.path().extension() == ".toml") files.insert(entry.path());
    }
    if (error) fail_input(folder.string(), "cannot be read: " + error.message());
    for (const auto& file : files) {
        Entry& entry = entries_.emplace_back();
        entry.book.id = file.stem().string();
        entry.file = file;
    }
}

void RuleLibrary::add_all(const std::vector<std::filesystem::path>& files) {
    struct Content {
        std::filesystem::path file;
        std::string text;
    };
    std::vector<Content> books, layered, sign_offs;
    for (const auto& file : files) {
        std::string text = read_file(file);
        auto& pass = holds_sign_offs(text, file.string())      ? sign_offs
                     : layered_on(text, file.string()).empty() ? books
                                                               : layered;
        pass.push_back({file, std::move(text)});
    }
    for (auto* pass : {&books, &layered, &sign_offs}) {
        for (auto& each : *pass) add_text(each.file, std::move(each.text), "");
    }
}

void RuleLibrary::sign(const SignOffs& sign_offs) {
    for (const auto& each : read_sign_offs(sign_offs.text, sign_offs.file.string())) {
        const auto slash = each.rule.find('/');
        Entry* entry = find_entry(each.rule.substr(0, slash));
        if (!entry) continue;
        std::vector<std::string> names;
        bool found = false;
        for (auto& rule : entry->book.rules) {
            names.push_back(rule.id);
            if (rule.id != each.rule.substr(slash + 1)) continue;
            found = true;
            if (rule_digest({&entry->book, &rule}) == each.digest) {
                rule.sign_off = each.sign_off, rule.lapsed_sign_off.clear();
            } else if (!rule.sign_off) {
                rule.lapsed_sign_off = each.sign_off.by + ", " + each.sign_off.on;
            }
        }
        if (!found)
            fail_input(each.where, "rulebook " + entry->book.id + " has no rule " +
                                       in_quotes(each.rule.substr(slash + 1)) +
                                       suggestion(each.rule.substr(slash + 1), names));
    }
}

// Null when there is none; a book of a folder is read now.
RuleLibrary::Entry* RuleLibrary::find_entry(std::string_view id) const {
    for (auto& entry : entries_) {
        if (entry.book.id != id) continue;
        if (!entry.read) {
            entry.text = read_file(entry.file);
            Rulebook book = read(entry.text, entry.file.string());
            if (book.id != id)
                fail_input(entry.file.string(),
                           "the book in it is called " + in_quotes(book.id) + ": call the file the same");
            entry.book = std::move(book), entry.read = true;
        }
        return &entry;
    }
    return nullptr;
}

const RuleLibrary::Entry& RuleLibrary::find_book(std::string_view id, std::string_view wanted_for) const {
    if (const Entry* entry = find_entry(id)) return *entry;
    std::vector<std::string> names;
    for (const auto& entry : entries_) names.push_back(entry.book.id);
    fail_input("no rulebook " + in_quotes(id) + " for " + in_quotes(wanted_for) + suggestion(id, names));
}

const std::deque<RuleLibrary::Entry>& RuleLibrary::entries() const {
    for (std::size_t i = 0; i < entries_.size(); ++i) find_entry(std::string(entries_[i].book.id));
    return entries_;
}

std::vector<const RuleLibrary::Entry*> RuleLibrary::entries_in_use() const {
    std::vector<const Entry*> out;
    for (const auto& entry : entries_) {
        if (entry.read) out.push_back(&entry);
    }
    return out;
}

static std::pair<std::string_view, std::string_view> split_id(std::string_view full_id) {
    const auto slash = full_id.find('/');
    if (slash == std::string_view::npos) {
        fail_input(in_quotes(full_id) +
                   " names no rulebook: write it as book/rule, such as cispr-32/mains-b-qp");
    }
    return {full_id.substr(0, slash), full_id.substr(slash + 1)};
}

RuleRef RuleLibrary::find(std::string_view full_id) const {
    const auto [book_id, rule_id] = split_id(full_id);
    const auto& book = find_book(book_id, full_id).book;
    if (const auto* rule = book.find(rule_id)) return {&book, rule};
    std::vector<std::string> names;
    for (const auto& rule : book.rules) names.push_back(rule.id);
    fail_input("rulebook " + book.id + " has no rule " + in_quotes(rule_id) + suggestion(rule_id, names));
}

const ChannelPlan& RuleLibrary::find_plan(std::string_view full_id) const {
    const auto [book_id, plan_id] = split_id(full_id);
    const auto& book = find_book(book_id, full_id).book;
    if (const auto* plan = book.find_plan(plan_id)) return *plan;
    std::vector<std::string> names;
    for (const auto& plan : book.plans) names.push_back(plan.id);
    fail_input("rulebook " + book.id + " has no channel plan " + in_quotes(plan_id) +
               suggestion(plan_id, names));
}

}  // namespace rt::lab
