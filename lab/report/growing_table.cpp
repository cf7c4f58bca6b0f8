#include "lab/report/growing_table.hpp"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <map>
#include <optional>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/csv_table.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/tables.hpp"

namespace rt::lab {
namespace {

std::string cell_text(std::string text) {
    // Spreadsheets take a text that begins like a formula for one.
    if (!text.empty() && std::string_view("=+-@").find(text.front()) != std::string_view::npos &&
        !to_double(text))
        text.insert(0, "'");
    return csv_cell(std::move(text));
}

std::string line_of(const std::vector<std::string>& cells) {
    std::string out;
    for (std::size_t i = 0; i < cells.size(); ++i) out += (i ? "," : "") + cell_text(cells[i]);
    return out + "\n";
}

std::string value_of(const TableColumn& column, const PointRecord* point) {
    if (!point) return "";
    const auto worst = std::min_element(point->findings.begin(), point->findings.end(), reads_before);
    const bool judged = worst != point->findings.end();
    if (column.result == "verdict") return judged ? name(worst->verdict) : "";
    if (column.result == "margin") return judged && worst->margin ? exact(*worst->margin) : "";
    const Result* result = point->find_result(column.result);
    if (!result) return "";
    if (column.unit_text.empty()) return exact(result->value.value);
    const auto spelled = parse_unit(column.unit_text);
    const auto converted = convert(result->value, spelled->unit);
    return converted ? exact(converted->value / (spelled->factor * std::pow(10, spelled->exponent))) : "";
}

// Where each point of the run was measured first: that is its place also when it is measured again.
std::map<std::string, std::size_t> first_places(const RunRecord& run) {
    std::map<std::string, std::size_t> out;
    for (const auto* all : {&run.superseded, &run.points}) {
        for (const auto& point : *all) {
            const auto [at, fresh] = out.try_emplace(point.id, point.position);
            if (!fresh) at->second = std::min(at->second, point.position);
        }
    }
    return out;
}

// The cells in the order of the file's headings, which may be another one: points of a shuffled sweep,
// a run that was carried on. Nothing where the headings are others.
std::optional<std::vector<std::string>> in_order_of(std::string_view headings, const TableRow& row) {
    const auto known = csv_cells(headings, ',');
    if (known.size() != row.headings.size()) return std::nullopt;
    std::multimap<std::string, std::string> ours;
    for (std::size_t i = 0; i < row.headings.size(); ++i)
        ours.emplace(csv_cells(cell_text(row.headings[i]), ',').at(0), row.cells[i]);
    std::vector<std::string> out;
    for (const auto& heading : known) {
        const auto at = ours.lower_bound(heading);
        if (at == ours.end() || at->first != heading) return std::nullopt;
        out.push_back(at->second);
        ours.erase(at);
    }
    return out;
}

class LockedFile {
  public:
    explicit LockedFile(const std::filesystem::path& file)
        : name_(file.string()), handle_(::open(file.c_str(), O_RDWR | O_CREAT | O_APPEND | O_CLOEXEC, 0644)) {
        if (handle_ < 0) fail_input(name_, std::string("cannot be written: ") + std::strerror(errno));
        while (::flock(handle_, LOCK_EX) != 0) {
            if (errno != EINTR) fail("cannot be locked");
        }
    }
    ~LockedFile() { ::close(handle_); }
    LockedFile(const LockedFile&) = delete;
    LockedFile& operator=(const LockedFile&) = delete;

    // One write: a reader sees all of it or nothing.
    void append(const std::string& text) {
        const auto end = ::lseek(handle_, 0, SEEK_END);
        std::size_t done = 0;
        while (done < text.size()) {
            const auto wrote = ::write(handle_, text.data() + done, text.size() - done);
            if (wrote < 0 && errno == EINTR) continue;
            if (wrote < 0) {
                const int why = errno;
                // Nothing half-written stays.
                if (::ftruncate(handle_, end) != 0) fail("cannot be written, and ends in half a row");
                errno = why;
                fail("cannot be written");
            }
            done += static_cast<std::size_t>(wrote);
        }
        if (::fsync(handle_) != 0) fail("cannot be flushed");
    }

  private:
    [[noreturn]] void fail(const std::string& what) const {
        throw Error(ErrorKind::output, name_, what + ": " + std::strerror(errno));
    }
    std::string name_;
    int handle_;
};

}  // namespace

TableRow table_row(const GrowingTable& table, const RunRecord& run) {
    TableRow row;
    const auto places = first_places(run);
    for (const auto& column : table.columns) {
        const std::string label =
            column.label + (column.unit_text.empty() ? "" : " [" + column.unit_text + "]");
        if (!column.fact.empty()) {
            row.headings.push_back(label);
            row.cells.push_back(column.fact == "verdict" ? name(overall_verdict(run))
                                                         : run.fact(column.fact));
            continue;
        }
        std::vector<const PointRecord*> points;
        for (const auto& point : run.points) {
            const bool counts = point.test == column.test &&
                                (point.kind == PointKind::point || point.kind == PointKind::threshold);
            if (counts) points.push_back(&point);
        }
        std::stable_sort(points.begin(), points.end(), [&](const PointRecord* a, const PointRecord* b) {
            return places.at(a->id) < places.at(b->id);
        });
        if (!column.each_point) {
            row.headings.push_back(label);
            row.cells.push_back(value_of(column, points.empty() ? nullptr : points.front()));
            continue;
        }
        for (const auto* point : points) {
            row.headings.push_back(column.label + " " + point->label +
                                   (column.unit_text.empty() ? "" : " [" + column.unit_text + "]"));
            row.cells.push_back(value_of(column, point));
        }
    }
    return row;
}

void append_row(const std::filesystem::path& file, const TableRow& row) {
    LockedFile locked(file);
    const std::string before = read_file(file), headings = line_of(row.headings);
    if (before.empty()) {
        locked.append(headings + line_of(row.cells));
        return;
    }
    const std::string first = before.substr(0, before.find('\n') + 1);
    const auto cells = in_order_of(std::string_view(first).substr(0, first.size() - 1), row);
    if (!cells) {
        fail_input(file.string(), "has other headings than this run (" + first.substr(0, first.size() - 1) +
                                      " instead of " + headings.substr(0, headings.size() - 1) +
                                      "): name another file");
    }
    locked.append((before.back() == '\n' ? "" : "\n") + line_of(*cells));
}

}  // namespace rt::lab
