// All rulebooks at hand: the shipped ones and those a campaign or a command line adds.
#pragma once

#include <deque>
#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

#include "lab/formats/rulebook_file.hpp"

namespace rt::lab {

class RuleLibrary {
  public:
    struct Entry {
        Rulebook book;  // of a file that was not needed yet: its id alone
        std::filesystem::path file;
        std::string text;
        std::string reference;  // as a campaign names it; "" for shipped ones and those of the command line
        bool read = false;
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
    // Every .toml in it, each called as its book. They are read when they are asked for, and no sooner.
    void add_folder(const std::filesystem::path& folder);

    // "cispr-32/mains-b-qp". Throws Error(input) with the nearest known id.
    RuleRef find(std::string_view full_id) const;
    // "ieee-802.15.4/oqpsk-2450": a channel plan.
    const ChannelPlan& find_plan(std::string_view full_id) const;
    // Throws Error(input) with the nearest known id. `wanted_for` is what it is asked for.
    const Entry& find_book(std::string_view id, std::string_view wanted_for) const;
    const std::deque<Entry>& entries() const;          // all, and so reads all
    std::vector<const Entry*> entries_in_use() const;  // those that were read
    const std::vector<SignOffs>& sign_offs() const { return sign_offs_; }

  private:
    void add_text(const std::filesystem::path& file, std::string content, const std::string& reference);
    void sign(const SignOffs& sign_offs);
    Entry* find_entry(std::string_view id) const;
    Rulebook read(const std::string& content, const std::string& file) const;
    mutable std::deque<Entry> entries_;  // addresses stay valid
    std::vector<SignOffs> sign_offs_;
};

}  // namespace rt::lab
