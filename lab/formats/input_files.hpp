// Where files that other files name are found: on disk beside them, or among the copies of a kept run.
#pragma once

#include <filesystem>
#include <string>

namespace rt {

class InputFiles {
  public:
    virtual ~InputFiles() = default;
    // `kind` is "bench", "dialect", "rulebook" or "simulated unit"; `reference` what is written in the file
    // `from`. Gives a path that need not exist.
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
        return from.parent_path() / reference;
    }

  private:
    std::filesystem::path dialects_;
};

}  // namespace rt
