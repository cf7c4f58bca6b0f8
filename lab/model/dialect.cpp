#include "lab/model/dialect.hpp"

#include <algorithm>

namespace rt::lab {

DataForm Dialect::form_of(const std::string& command, const DataForm& otherwise) const {
    for (const auto& form : data) {
        const auto& of = form.commands;
        if (of.empty() || std::find(of.begin(), of.end(), command) != of.end()) return form;
    }
    return otherwise;
}

}  // namespace rt::lab
