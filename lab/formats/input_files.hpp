// Where files that other files name are found: on disk beside them, or among the copies of a kept run.
#pragma once

#include <filesystem>
#include <string>

#include "lab/model/named_file.hpp"

namespace rt::lab {

class InputFiles {
  public:
    virtual ~InputFiles() = default;
    // `kind` is "bench", "dialect", "rulebook", "simulated unit" ..., or "outside" for what a run does not
    // copy; `reference` what is written in the file `from`. Gives a path that need not exist.
    virtual std::filesystem::path find(const std::string& kind, const std::string& reference,
                                       const std::filesystem::path& from) const = 0;
};

// Beside the file that names them; dialects named without .toml are the shipped ones.
class DiskFiles : public InputFiles {
  public:
    explicit DiskFiles(std::filesystem::path shipped_dialects) : dialects_(std::move(shipped_dialects)) {}

    std::filesystem::path find(const std::string& kind, const std::string& reference,
                               const std::filesystem::path& from) const override {
        if (kind == "dialect" && !reference.ends_with(".toml")) return dialects_ / (reference + ".toml");
        const auto path = from.parent_path() / reference;
        return kind == "outside" ? std::filesystem::absolute(path) : path;
    }

  private:
    std::filesystem::path dialects_;
};

}  // namespace rt::lab
