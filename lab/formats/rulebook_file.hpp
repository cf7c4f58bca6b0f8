// Rulebook files: published limits as TOML.
#pragma once

#include <deque>
#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

#include "core/rules/rule.hpp"
#include "lab/formats/config.hpp"

namespace rt::lab {

extern const FileInfo rulebook_file;

// A book that is layered on another needs that other as text and as read: its rules hold, and rules of the
// same id state only what they change.
struct LayerBelow {
    const Rulebook* book = nullptr;
    std::string_view text;
    std::string file;
};
// What a book says it is layered on; "" for most.
std::string layered_on(std::string_view text, const std::string& file);

Rulebook read_rulebook(std::string_view text, const std::string& file, const LayerBelow& below = {});

// All rulebooks at hand: the shipped ones and those a campaign or a command line adds.
class RuleLibrary {
  public:
    struct Entry {
        Rulebook book;
        std::filesystem::path file;
        std::string text;
        std::string reference;  // as a campaign names it; "" for shipped ones and those of the command line
    };

    struct SignOffs {
        std::filesystem::path file;
        std::string text;
        std::string reference;
    };

    // A rulebook, or a file of sign-offs for the books added before. Throws Error(input) if a book's id is
    // taken already, or a sign-off names a rule that its book does not have.
    void add(const std::filesystem::path& file, const std::string& reference = "");
    // The same of several, those that are layered on others behind them, sign-offs last.
    void add_all(const std::vector<std::filesystem::path>& files);
    void add_folder(const std::filesystem::path& folder);  // every .toml in it, by name

    // "cispr-32/mains-b-qp". Throws Error(input) with the nearest known id.
    RuleRef find(std::string_view full_id) const;
    // "ieee-802.15.4/oqpsk-2450": a channel plan.
    const ChannelPlan& find_plan(std::string_view full_id) const;
    const std::deque<Entry>& entries() const { return entries_; }
    const std::vector<SignOffs>& sign_offs() const { return sign_offs_; }

  private:
    void sign(const SignOffs& sign_offs);
    const Entry& find_book(std::string_view id, std::string_view full_id) const;
    std::deque<Entry> entries_;  // addresses stay valid
    std::vector<SignOffs> sign_offs_;
};

}  // namespace rt::lab
