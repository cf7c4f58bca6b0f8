#include "lab/version.hpp"

#include <archive.h>
#include <fftw3.h>
#include <fmt/core.h>
#include <openssl/crypto.h>
#include <sndfile.h>
#include <sqlite3.h>

#include <boost/version.hpp>
#include <nlohmann/json.hpp>
#include <pugixml.hpp>

namespace rt::lab {

const char* version() {
    return RT_VERSION;
}

std::vector<std::pair<std::string, std::string>> libraries() {
    const auto dotted = [](int number, int part) {
        return fmt::format("{}.{}.{}", number / part / part, number / part % part, number % part);
    };
    return {{"Boost", fmt::format("{}.{}.{}", BOOST_VERSION / 100000, BOOST_VERSION / 100 % 1000,
                                  BOOST_VERSION % 100)},
            {"FFTW", fftw_version},
            {"fmt", dotted(FMT_VERSION, 100)},
            {"libarchive", archive_version_string()},
            {"libsndfile", sf_version_string()},
            {"nlohmann-json", fmt::format("{}.{}.{}", NLOHMANN_JSON_VERSION_MAJOR,
                                          NLOHMANN_JSON_VERSION_MINOR, NLOHMANN_JSON_VERSION_PATCH)},
            {"OpenSSL", OpenSSL_version(OPENSSL_VERSION_STRING)},
            {"pugixml", fmt::format("{}.{}", PUGIXML_VERSION / 1000, PUGIXML_VERSION % 1000 / 10)},
            {"SQLite", sqlite3_libversion()}};
}

}  // namespace rt::lab
