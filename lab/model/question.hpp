// Questions to the operator before a run: pre-checks, serial numbers.
#pragma once

#include <map>
#include <optional>
#include <string>

#include "core/quantity/quantity.hpp"

namespace rt::lab {

struct Question {
    enum class Kind { yes, date_not_past, value, text };

    std::string name;
    std::string ask;
    Kind kind = Kind::yes;
    std::optional<Quantity> min, max;  // of a value
    std::string otherwise;             // used when nobody is there; "" for none
    std::string sets;                  // detail of the unit that the answer becomes, such as "serial"
    std::string place;
};

using Answers = std::map<std::string, std::string>;

}  // namespace rt::lab
