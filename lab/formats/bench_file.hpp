// Bench files.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "lab/formats/config.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/model/bench.hpp"

namespace rt::lab {

extern const FileInfo bench_file;

// What a simulated instrument can do wrong.
const std::vector<std::string>& fault_kinds();

Bench read_bench(const std::filesystem::path& file, const InputFiles& files);

}  // namespace rt::lab
