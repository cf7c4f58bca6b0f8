#include "lab/tally/evidence.hpp"

#include <unistd.h>

#include <algorithm>
#include <memory>
#include <vector>

#include "core/base/error.hpp"
#include "lab/clock.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/zip_archive.hpp"
#include "lab/tally/chain.hpp"
#include "lab/tally/sqlite.hpp"
#include "lab/tally/tally.hpp"
#include "lab/version.hpp"

namespace rt::lab {
namespace {

namespace fs = std::filesystem;

// The tally in one file of its own, whatever its write-ahead log still holds.
std::string tally_copy(const fs::path& run) {
    const fs::path copy =
        fs::temp_directory_path() / ("rare-tally-evidence-" + std::to_string(::getpid()) + ".sqlite");
    std::error_code ignored;
    fs::remove(copy, ignored);
    Tally::look_at(run, [&](Database& database) {
        Database target(copy.string(), SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE);
        sqlite3_backup* backup = sqlite3_backup_init(target.get(), "main", database.get(), "main");
        if (!backup) target.fail();
        sqlite3_backup_step(backup, -1);
        if (sqlite3_backup_finish(backup) != SQLITE_OK) target.fail();
    });
    std::string content = read_file(copy);
    fs::remove(copy, ignored);
    return content;
}

std::vector<fs::path> files_of(const fs::path& run, const fs::path& archive) {
    std::vector<fs::path> out;
    std::error_code error;
    const auto own = fs::absolute(archive).lexically_normal();
    for (fs::recursive_directory_iterator at(run, error), end; !error && at != end; at.increment(error)) {
        // What a link points to is not of the run.
        if (at->is_symlink() || !at->is_regular_file()) continue;
        const std::string name = at->path().filename().string();
        // The tally goes in as a copy; the lock and what is only half written are no evidence.
        const bool left_out = name.starts_with("tally.sqlite") || name.ends_with(".lock") ||
                              name.ends_with(".part") || name == "lock" ||
                              fs::absolute(at->path()).lexically_normal() == own;
        if (!left_out) out.push_back(at->path().lexically_relative(run));
    }
    if (error) fail_input(run.string(), "cannot be read: " + error.message());
    std::sort(out.begin(), out.end());
    return out;
}

}  // namespace

Evidence write_evidence(const fs::path& run, const fs::path& target) {
    const Verification seen = verify_run(run);
    if (!seen.altered.empty()) {
        fail_input(run.string(), "is not as it was written (" + seen.altered.front() +
                                     "): rare-tally verify " + run.string() + " lists everything");
    }
    ZipFile zip(target);
    std::string folder = fs::absolute(run).lexically_normal().filename().string();
    if (folder.empty()) folder = fs::absolute(run).lexically_normal().parent_path().filename().string();
    std::string list;
    Evidence out{0, seen.seal};
    const auto add = [&](const std::string& name, const std::string& content) {
        zip.add(folder + "/" + name, content);
        list += sha256(content) + "  " + name + "\n";
        ++out.files;
    };
    add(tally_file, tally_copy(run));
    for (const auto& file : files_of(run, target)) add(file.generic_string(), read_file(run / file));
    zip.add(
        folder + "/EVIDENCE.txt",
        "Evidence of one run, put together by Rare Tally " + std::string(version()) + " on " + utc_now() +
            "\n\nSeal of the tally: " + seen.seal +
            "\n\nTo check that nothing was altered, unpack this archive and run, in the folder above this "
            "one:\n\n    rare-tally verify " +
            folder + " --seal " + seen.seal +
            "\n\nWithout the program: the SHA-256 of every file stands below; sha256sum -c reads these "
            "lines.\n\n" +
            list);
    zip.finish();
    return out;
}

}  // namespace rt::lab
