#include "lab/catalogue/config_files.hpp"

#include <array>

#include "lab/formats/analysis_file.hpp"
#include "lab/formats/bench_file.hpp"
#include "lab/formats/campaign_file.hpp"
#include "lab/formats/defaults_file.hpp"
#include "lab/formats/dialect_file.hpp"
#include "lab/formats/kit_file.hpp"
#include "lab/formats/layout_file.hpp"
#include "lab/formats/list_file.hpp"
#include "lab/formats/profile_file.hpp"
#include "lab/formats/rulebook_file.hpp"
#include "lab/formats/sign_off_file.hpp"
#include "lab/formats/wafer_map_file.hpp"
#include "lab/report/page/language.hpp"
#include "lab/simulate/world.hpp"

namespace rt::lab {

std::span<const FileInfo* const> config_files() {
    static constexpr std::array<const FileInfo*, 14> files{
        &defaults_file,       &campaign_file, &analysis_file, &profile_file,  &kit_file,
        &wafer_map_file,      &bench_file,    &dialect_file,  &rulebook_file, &sign_off_file,
        &simulated_unit_file, &layout_file,   &language_file, &list_file};
    return files;
}

}  // namespace rt::lab
