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

const Together* Dialect::sent_together(const std::string& setting) const {
    for (const auto& one : together) {
        if (std::find(one.settings.begin(), one.settings.end(), setting) != one.settings.end()) return &one;
    }
    return nullptr;
}

}  // namespace rt::lab
