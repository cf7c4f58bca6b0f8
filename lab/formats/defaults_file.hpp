// What a lab and a person put into every campaign that says nothing of it: letterhead, operator, bench,
// rulebooks, the store.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "lab/formats/config.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/model/campaign.hpp"

namespace rt::lab {

extern const FileInfo defaults_file;

struct Defaults {
    std::string operator_name, bench, store;
    std::vector<std::string> rulebooks;
    std::vector<std::string> trusted;  // files of keys and certificates
    TextPairs report;                  // keys of [report], lists by line
    std::string logo;
    std::vector<std::string> from;  // the files

    bool empty() const { return from.empty(); }
};

// Of these files, the last one above the others; files that are not there are left out. Paths in them begin
// beside the file that names them. Throws Error(input).
Defaults read_defaults(const std::vector<std::filesystem::path>& files);

// The same as one file, for the copies of a run.
std::string defaults_text(const Defaults& defaults);

// What the campaign does not say is taken from them, and told in `campaign.defaults`.
void apply_defaults(const Defaults& defaults, const InputFiles& found, Campaign& campaign);

}  // namespace rt::lab
