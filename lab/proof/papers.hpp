// Proofs of dialects as papers: one page to print and keep, and data.
#pragma once

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "lab/proof/prove.hpp"

namespace rt::lab {

// An array of steps, each with its role.
nlohmann::ordered_json proof_json(const std::vector<Proof>& proofs);
// A page of its own, without anything from elsewhere.
std::string proof_page(const std::string& bench, const std::vector<Proof>& proofs);

}  // namespace rt::lab
