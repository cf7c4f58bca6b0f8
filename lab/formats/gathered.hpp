// Errors of several places, told together: who has made three mistakes hears of all three.
#pragma once

#include <string>
#include <vector>

#include "core/base/error.hpp"
#include "lab/formats/config.hpp"

namespace rt::lab {

// What is thrown for more than one; itself it reads as the first.
class ManyErrors : public Error {
  public:
    explicit ManyErrors(std::vector<Error> all);
    const std::vector<Error>& all() const { return all_; }

  private:
    std::vector<Error> all_;
};

class Gathered {
  public:
    // Does something; an Error(input) is kept for later. True when there was none.
    template <typename Do>
    bool at(const Do& something) {
        try {
            something();
            return true;
        } catch (const ManyErrors& many) {
            for (const auto& one : many.all()) keep(one);
        } catch (const Error& error) {
            if (error.kind() != ErrorKind::input) throw;
            keep(error);
        }
        return false;
    }

    // What is called so could not be read: errors that only say that it is not there are no news.
    void lacks(const std::string& name) {
        if (!name.empty()) lacking_.push_back(name);
    }

    // Throws what was kept: Error(input), or ManyErrors.
    void finish() const;

  private:
    void keep(const Error& error);

    std::vector<Error> errors_;
    std::vector<std::string> lacking_;
};

// Sections that can be read; what is wrong with the others is kept. `node` is the one that `parent` was made
// of.
std::vector<ConfigSection> sections_of(const ConfigSection& parent, const ConfigNode& node, const char* key,
                                       const SectionInfo& info, Gathered& errors);

}  // namespace rt::lab
