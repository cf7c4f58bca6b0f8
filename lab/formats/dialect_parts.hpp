// The sections of a dialect file, one reader each.
#pragma once

#include "lab/formats/config.hpp"
#include "lab/model/dialect.hpp"

namespace rt::lab {

extern const SectionInfo data_section, scale_section, done_section, state_section, together_section;

// Every command that its kind needs is there, and no other; {placeholders} are those of each command.
void require_commands(const ConfigSection& root, const Dialect& dialect);
void require_placeholders(const ConfigSection& root, const Dialect& dialect);

DataForm read_data(const ConfigSection& section, const Dialect& dialect);
void read_done(const ConfigSection& section, Dialect& dialect);
void read_state(const ConfigSection& section, Dialect& dialect);
void read_together(const ConfigSection& section, Dialect& dialect);
void read_tolerances(const ConfigSection& root, Dialect& dialect);
void read_level_counts(const ConfigSection& head, Dialect& dialect);
void read_greatest(const ConfigSection& root, Dialect& dialect);
void read_levels(const ConfigSection& head, Dialect& dialect);
// Quotes and order.
void read_manners(const ConfigSection& head, Dialect& dialect);
void read_parameters(const ConfigSection& root, Dialect& dialect);

}  // namespace rt::lab
