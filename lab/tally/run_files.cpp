#include "lab/tally/run_files.hpp"

#include <algorithm>
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/captures/capture_file.hpp"
#include "lab/formats/files.hpp"
#include "lab/model/record.hpp"

namespace rt::lab {
namespace {

// Why a file in a run folder is not covered.
std::string outside_reason(const std::string& name) {
    if (name.starts_with("report/") || name.starts_with("export/"))
        return "made from the tally: make it again";
    const bool drawing = name.starts_with("connections") && name.ends_with(".svg");
    if (drawing || name.ends_with(".html")) return "a picture of the run, no record of it";
    if (name.starts_with("seal.")) return "the signature of the seal: see below";
    if (name == "traffic.log") return "what was said to the instruments, for finding faults";
    if (name.starts_with("captures/")) return "left by an interruption, or of a point that is gone";
    return "not of the run";
}

// Names in ascending order, a million of them in little room.
class NameList {
  public:
    void add(const std::string& name) {
        begins_.push_back(all_.size());
        all_ += name;
    }
    bool contains(std::string_view name) const {
        const auto at = std::lower_bound(
            begins_.begin(), begins_.end(), name,
            [&](const std::size_t& begin, std::string_view wanted) { return text_at(begin) < wanted; });
        return at != begins_.end() && text_at(*at) == name;
    }

  private:
    std::string_view text_at(const std::size_t& begin) const {
        const std::size_t next = &begin == &begins_.back() ? all_.size() : (&begin)[1];
        return std::string_view(all_).substr(begin, next - begin);
    }
    std::string all_;
    std::vector<std::size_t> begins_;
};

void check_file(const std::filesystem::path& folder, const std::string& name, const std::string& hash,
                Verification& out) {
    std::error_code error;
    if (!stays_inside(name)) {
        out.altered.push_back(in_quotes(name) + " leads out of the run folder");
    } else if (std::filesystem::is_symlink(folder / name, error)) {
        out.altered.push_back(name + " is a link to another file");
    } else if (!std::filesystem::is_regular_file(folder / name, error)) {
        out.altered.push_back(name + " is missing");
    } else if (sha256_of_file(folder / name) != hash) {
        out.altered.push_back(name + " was altered");
    } else if (name.ends_with(".sigmf-meta")) {
        try {
            read_capture(folder / name);  // its samples against the digest in it
        } catch (const Error& trouble) {
            out.altered.push_back(trouble.what());
        }
    }
}

}  // namespace

void check_files(Database& database, const std::filesystem::path& folder, Verification& out) {
    const std::string inputs = schema_of(database) >= 5 ? "UNION SELECT path, sha256 FROM input " : "";
    Statement rows(
        database,
        ("SELECT capture_path, capture_sha256 FROM point WHERE capture_sha256 <> '' UNION SELECT path, "
         "sha256 FROM attachment UNION SELECT path, sha256 FROM file WHERE sha256 <> '' UNION SELECT path, "
         "sha256 FROM calibration WHERE sha256 <> '' " +
         inputs + "ORDER BY 1")
            .c_str());
    NameList named;
    const auto check = [&](const std::string& name, const std::string& hash) {
        ++out.files;
        check_file(folder, name, hash, out);
    };
    while (rows.step()) {
        check(rows.text(0), rows.text(1));
        named.add(rows.text(0));
    }
    // Those that came with a bench that was corrected.
    RunRecord corrected;
    Statement facts(database, "SELECT name, value FROM fact WHERE name LIKE 'file.%' ORDER BY name");
    while (facts.step()) take_fact(corrected, facts.text(0), facts.text(1));
    std::set<std::string> also;
    for (const auto& file : corrected.files) {
        if (file.sha256.empty()) continue;
        check(file.file, file.sha256);
        also.insert(file.file);
    }
    const auto known = [&](const std::string& name) { return named.contains(name) || also.contains(name); };
    // Samples have their data beside their description, which holds its digest.
    std::error_code error;
    for (std::filesystem::recursive_directory_iterator at(folder, error), end; !error && at != end;
         at.increment(error)) {
        if (at->is_directory(error)) continue;
        const std::string name = at->path().lexically_relative(folder).generic_string();
        if (name.starts_with("tally.") || known(name)) continue;
        constexpr std::string_view data = ".sigmf-data";
        if (name.ends_with(data) && known(name.substr(0, name.size() - data.size()) + ".sigmf-meta")) {
            continue;
        }
        out.outside.push_back(name + ": " + outside_reason(name));
    }
    std::sort(out.outside.begin(), out.outside.end());
}

}  // namespace rt::lab
