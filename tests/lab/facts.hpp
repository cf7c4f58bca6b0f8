// The head of a made run, by the names that a tally has for it.
#pragma once

#include "lab/model/record.hpp"

inline void put_facts(rt::lab::RunRecord& run, const rt::lab::RunHead::Texts& facts) {
    for (const auto& [name, value] : facts) rt::lab::take_fact(run, name, value);
}
