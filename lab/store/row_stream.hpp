// Rows of one table by COPY: the quick way in.
#pragma once

#include <cmath>
#include <optional>
#include <pqxx/pqxx>
#include <pqxx/stream_to>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/text.hpp"
#include "lab/report/plain_text.hpp"

namespace rt::lab {

class RowStream {
  public:
    RowStream(pqxx::work& work, const char* table, const std::vector<std::string>& columns)
        : stream_(work, table, columns) {}

    template <typename... Values>
    void row(const Values&... values) {
        stream_ << std::make_tuple(field(values)...);
    }
    void finish() { stream_.complete(); }

  private:
    static std::string field(std::string_view text) { return plain_text(text); }
    static long long field(std::size_t value) { return static_cast<long long>(value); }
    static long long field(long long value) { return value; }
    static std::optional<std::string> field(const std::optional<double>& value) {
        return value && std::isfinite(*value) ? std::optional<std::string>(exact(*value)) : std::nullopt;
    }

    pqxx::stream_to stream_;
};

}  // namespace rt::lab
