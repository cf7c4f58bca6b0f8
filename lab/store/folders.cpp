#include <algorithm>
#include <functional>

#include "core/base/error.hpp"
#include "lab/store/finding_query.hpp"
#include "lab/store/trend.hpp"
#include "lab/tally/chain.hpp"
#include "lab/tally/read_run.hpp"
#include "lab/tally/sqlite.hpp"
#include "lab/tally/tally.hpp"

namespace rt::lab {

std::vector<std::filesystem::path> runs_in(const std::filesystem::path& folder) {
    std::vector<std::filesystem::path> out;
    if (std::filesystem::exists(folder / tally_file)) return {folder};
    std::error_code error;
    std::filesystem::recursive_directory_iterator at(folder, error), end;
    if (error) fail_input(folder.string(), "cannot be read: " + error.message());
    for (; at != end; at.increment(error)) {
        if (error) break;
        if (at->is_directory() && std::filesystem::exists(at->path() / tally_file)) {
            out.push_back(at->path());
            at.disable_recursion_pending();
        }
    }
    if (out.empty()) fail_input(folder.string(), "holds no run: there is no " + std::string(tally_file));
    std::sort(out.begin(), out.end());
    return out;
}

namespace {

void look_into(const std::filesystem::path& run, const FindingQuery& query, std::vector<FoundFinding>& out) {
    Tally::look_at(run, [&](Database& database) {
        Transaction one_state(database, "BEGIN");
        require_unaltered(database, run);
        const auto fact = [&](const char* name) {
            Statement one(database, "SELECT value FROM fact WHERE name = ?1");
            one.start(name);
            return one.step() ? one.text(0) : std::string();
        };
        const std::string started = fact("started"), model = fact("unit.model"), serial = fact("unit.serial"),
                          bench = fact("bench");
        if (!query.unit.empty() && query.unit != model && query.unit != serial) return;
        if (started.substr(0, 10) < query.since) return;
        if (!query.bench.empty() && query.bench != bench) return;
        Statement rows(
            database,
            "SELECT p.test, p.label, f.rule, f.verdict, f.value, f.limit_value, f.margin, f.unit "
            "FROM finding f JOIN point p ON p.position = f.point WHERE p.standing = 'valid' "
            "AND (?1 = '' OR f.rule = ?1 OR substr(f.rule, 1, length(?1) + 1) = ?1 || '/') "
            "AND (?2 = '' OR p.test = ?2) AND (?3 = '' OR f.verdict = ?3) "
            "AND (?4 IS NULL OR f.margin < ?4) AND (?6 = '' OR instr(?6, ',' || f.unit || ',') > 0) "
            "ORDER BY f.margin IS NULL, f.margin LIMIT ?5");
        rows.start(query.rule, query.test, query.verdict ? name(*query.verdict) : "", query.below, query.most,
                   units_asked_for(query));
        while (rows.step()) {
            out.push_back({run.string(), started, model, serial, bench, rows.text(0), rows.text(1),
                           rows.text(2), parse_verdict(rows.text(3)).value_or(Verdict::none), rows.number(4),
                           rows.number(5), rows.number(6), unit_of_symbol(rows.text(7))});
        }
    });
}

}  // namespace

std::string units_asked_for(const FindingQuery& query) {
    if (!query.below || query.below_unit == Unit::none) return "";
    std::string out = ",";
    for (const auto& entry : all_units())
        if (margin_unit_of(entry.unit) == query.below_unit) out += std::string(entry.symbol) + ",";
    return out;
}

namespace {

// `look` at each run; what cannot be read is told in a line.
void each_run(const std::vector<std::filesystem::path>& folders, std::vector<std::string>& left_out,
              const std::function<void(const std::filesystem::path&)>& look) {
    for (const auto& folder : folders) {
        for (const auto& run : runs_in(folder)) {
            try {
                look(run);
            } catch (const Error& error) {
                left_out.push_back(error.what());
            }
        }
    }
}

}  // namespace

std::vector<FoundFinding> find_in_folders(const std::vector<std::filesystem::path>& folders,
                                          const FindingQuery& query, std::vector<std::string>& left_out) {
    if (!query.judgement.empty())
        fail_input("judgements are kept in the shared store: ask with --store, without folders");
    std::vector<FoundFinding> out;
    each_run(folders, left_out, [&](const std::filesystem::path& run) { look_into(run, query, out); });
    std::stable_sort(out.begin(), out.end(), [](const FoundFinding& a, const FoundFinding& b) {
        if (a.margin.has_value() != b.margin.has_value()) return a.margin.has_value();
        return a.margin && *a.margin < *b.margin;
    });
    if (out.size() > query.most) out.resize(query.most);
    return out;
}

std::vector<FoundCapture> find_capture_in_folders(const std::vector<std::filesystem::path>& folders,
                                                  const std::string& hash,
                                                  std::vector<std::string>& left_out) {
    std::vector<FoundCapture> out;
    each_run(folders, left_out, [&](const std::filesystem::path& run) {
        Tally::look_at(run, [&](Database& database) {
            Transaction one_state(database, "BEGIN");
            require_unaltered(database, run);
            const RunHead head = read_frame(database).head;
            const std::string inputs =
                schema_of(database) >= 5
                    ? "UNION SELECT point, 'input', path FROM input WHERE sha256 = ?1 AND path "
                      "NOT IN (SELECT capture_path FROM point WHERE position = input.point) "
                    : "";
            Statement rows(
                database, ("SELECT p.test, p.label, c.role, c.path FROM (SELECT position AS point, 'capture' "
                           "AS role, capture_path AS path FROM point WHERE capture_sha256 = ?1 " +
                           inputs +
                           "UNION SELECT point, 'attachment', path FROM attachment WHERE sha256 = ?1) c "
                           "JOIN point p ON p.position = c.point ORDER BY p.position, c.path")
                              .c_str());
            rows.start(hash);
            while (rows.step())
                out.push_back({run.string(), head.started, head.detail("model"), head.detail("serial"),
                               rows.text(0), rows.text(1), rows.text(2), rows.text(3)});
        });
    });
    std::stable_sort(out.begin(), out.end(),
                     [](const FoundCapture& a, const FoundCapture& b) { return a.started < b.started; });
    return out;
}

}  // namespace rt::lab
