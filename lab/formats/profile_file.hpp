// Profiles: parameters of tests kept apart from campaigns, to be loaded, saved and reset.
#pragma once

#include <filesystem>
#include <map>
#include <string>
#include <utility>
#include <vector>

#include "lab/formats/config.hpp"
#include "lab/model/profile.hpp"

namespace rt::lab {

extern const FileInfo profile_file;

Profile read_profile(const std::filesystem::path& file);

// A profile as a file.
std::string profile_text(const Profile& profile);

}  // namespace rt::lab
