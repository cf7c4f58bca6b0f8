#include "lab/run/kept_inputs.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/config.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
namespace {

class Keeper {
  public:
    explicit Keeper(const std::filesystem::path& folder, std::string inputs = "inputs/")
        : folder_(folder), inputs_(std::move(inputs)) {}

    // `name` is a wish: another number is put behind it when it is taken.
    void add(const std::string& kind, const std::string& reference, const std::string& name,
             const std::string& text) {
        if (!known_.insert(kind + "\n" + reference + "\n" + sha256(text)).second) return;
        if (kind == "capture") return add_capture(reference, text);
        std::string ending = ".toml";
        if (kind == "program") {
            ending = slug(std::filesystem::path(reference).extension().string());
            if (!ending.empty()) ending.insert(0, ".");
        }
        if (kind == "values" || kind == "correction" || kind == "logo" || kind == "template" ||
            kind == "language" || kind == "pattern" || kind == "channel" || kind == "registers")
            ending = "." + slug(std::filesystem::path(reference).extension().string());
        std::string file = inputs_ + name + ending;
        for (int i = 2; !names_.insert(file).second; ++i)
            file = inputs_ + name + "-" + std::to_string(i) + ending;
        make_folder((folder_ / file).parent_path());
        write_file(folder_ / file, text);
        records_.push_back({file, kind, sha256(text), reference});
    }
    // Under its hash, so that points can name it.
    void add_capture(const std::string& reference, const std::string& text) {
        const std::string hash = sha256(text), file = kept_file(reference, hash);
        if (names_.insert(file).second) {
            make_folder((folder_ / file).parent_path());
            write_file(folder_ / file, text);
        }
        records_.push_back({file, "capture", hash, reference});
    }
    void remember(const std::string& kind, const std::string& reference, const std::string& path) {
        if (known_.insert(kind + "\n" + reference).second) records_.push_back({path, kind, "", reference});
    }
    std::vector<FileRecord> take() { return std::move(records_); }

  private:
    std::filesystem::path folder_;
    std::string inputs_;
    std::set<std::string> known_, names_;
    std::vector<FileRecord> records_;
};

// A bench with all that it names.
void keep(Keeper& keeper, const Bench& bench) {
    keeper.add("bench", "", "bench", bench.text);
    for (const auto& named : bench.files) {
        keeper.add(named.kind, named.reference, slug(std::filesystem::path(named.reference).stem().string()),
                   named.text);
    }
    for (const auto& instrument : bench.instruments) {
        // Not copied: where they are is all that is kept.
        const bool outside = instrument.recorded() || instrument.place.kind == Address::Kind::program;
        if (outside)
            keeper.remember("outside", parse_address(instrument.address).path, instrument.place.path);
    }
    for (const auto& instrument : bench.instruments) {
        if (instrument.dialect_reference.empty()) continue;
        keeper.add("dialect", instrument.dialect_reference, "dialects/" + slug(instrument.dialect.id),
                   instrument.dialect.text);
        for (const auto& base : instrument.dialect.bases) {
            const std::string name = std::filesystem::path(base.reference).stem().string();
            keeper.add("dialect", base.reference, "dialects/" + slug(name), base.text);
        }
    }
    if (const auto& simulation = bench.simulation) {
        const std::string text = read_file(simulation->unit);
        keeper.add("simulated unit", simulation->unit_reference, "simulated-unit", text);
        // Registers of its modules stand in files beside it, there as here.
        const ConfigNode node = parse_config(text, simulation->unit.string());
        const ConfigNode* modules = node.find("module");
        for (const auto& module : modules ? modules->items : std::vector<ConfigNode>{}) {
            const ConfigNode* image = module.find("image");
            if (!image) continue;
            keeper.add("registers", image->text, std::filesystem::path(image->text).stem().string(),
                       read_file(simulation->unit.parent_path() / image->text));
        }
    }
}

}  // namespace

std::vector<FileRecord> keep_inputs(const Plan& plan, const RuleLibrary& library,
                                    const std::filesystem::path& folder) {
    Keeper keeper(folder);
    keeper.add("campaign", "", "campaign", plan.campaign->text);
    for (const auto& named : plan.campaign->files) {
        keeper.add(named.kind, named.reference, slug(std::filesystem::path(named.reference).stem().string()),
                   named.text);
    }
    if (!plan.campaign->profile.text.empty())
        keeper.add("profile", "", "profile", plan.campaign->profile.text);
    if (!plan.campaign->defaults_text.empty())
        keeper.add("defaults", "", "defaults", plan.campaign->defaults_text);
    keep(keeper, *plan.bench);
    for (const auto* entry : library.entries_in_use()) {
        if (!plan.campaign->books.contains(entry->book.id) && entry->reference.empty()) continue;
        keeper.add("rulebook", entry->reference, "rulebooks/" + slug(entry->book.id), entry->text);
    }
    for (const auto& own : plan.campaign->analyses) {
        const Analysis& analysis = own->analysis;
        keeper.add("analysis", analysis.reference, "analyses/" + slug(analysis.name), analysis.text);
        // Looked at, and compared when the run is carried on; what is started is the program in its place.
        keeper.add("program", analysis.program_reference, "programs/" + slug(analysis.name),
                   read_file(analysis.program));
        keeper.remember("outside", analysis.program_reference, analysis.program);
    }
    for (const auto& signed_off : library.sign_offs())
        keeper.add("rulebook", signed_off.reference, "rulebooks/" + slug(signed_off.file.stem().string()),
                   signed_off.text);
    return keeper.take();
}

std::vector<FileRecord> keep_corrected(const Bench& bench, int correction,
                                       const std::filesystem::path& folder) {
    Keeper keeper(folder, fmt::format("inputs/corrected-{:02}/", correction));
    keep(keeper, bench);
    auto out = keeper.take();
    for (auto& record : out) record.correction = correction;
    return out;
}

KeptFiles::KeptFiles(std::filesystem::path folder, std::vector<FileRecord> records)
    : folder_(std::move(folder)), records_(std::move(records)) {
    for (const auto& record : records_) {
        if (record.kind == "outside") continue;
        if (sha256(read_file(folder_ / record.file)) != record.sha256) {
            fail_input((folder_ / record.file).string(),
                       "was altered: its SHA-256 is not the one in the tally");
        }
    }
}

std::filesystem::path KeptFiles::find(const std::string& kind, const std::string& reference,
                                      const std::filesystem::path&) const {
    // A run has one campaign and one bench, whatever they were called.
    const bool only_one = kind == "campaign" || kind == "bench" || kind == "profile" || kind == "defaults";
    const auto fits = [&](const FileRecord& record) {
        return record.kind == kind && (only_one || record.reference == reference);
    };
    // What came with the latest correction goes first.
    const FileRecord* found = nullptr;
    for (const auto& record : records_)
        if (fits(record) && (!found || record.correction > found->correction)) found = &record;
    if (found) return folder_ / found->file;
    fail_input(folder_.string(), "the run keeps no " + kind + " " + in_quotes(reference));
}

bool KeptFiles::has(const std::string& kind) const {
    return std::any_of(records_.begin(), records_.end(), [&](const auto& r) { return r.kind == kind; });
}

std::vector<std::filesystem::path> KeptFiles::further_rulebooks() const {
    std::vector<std::filesystem::path> out;
    for (const auto& record : records_) {
        if (record.kind == "rulebook" && record.reference.empty()) out.push_back(folder_ / record.file);
    }
    return out;
}

}  // namespace rt::lab
