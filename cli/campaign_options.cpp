#include "cli/campaign_options.hpp"

#include <algorithm>

#include "cli/parameter_options.hpp"
#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/bench_file.hpp"
#include "lab/formats/campaign_file.hpp"
#include "lab/formats/defaults_file.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/gathered.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/formats/profile_file.hpp"
#include "lab/run/bench_reference.hpp"
#include "lab/run/kept_inputs.hpp"
#include "lab/tally/tally.hpp"

namespace rt::cli {
namespace {

// Words that name no test may name what tests are judged by: a clause, or a rule in whole.
std::vector<std::string> chosen_tests(const Campaign& campaign, const std::vector<std::string>& only) {
    std::vector<std::string> out;
    for (const auto& word : only) {
        const std::size_t before = out.size();
        if (!campaign.find(word)) {
            for (const auto& test : campaign.tests) {
                const bool judged =
                    std::any_of(test.judgings.begin(), test.judgings.end(), [&](const Judging& judging) {
                        return judging.rule.rule->clause == word || judging.rule.full_id() == word;
                    });
                if (judged) out.push_back(test.name);
            }
        }
        if (out.size() == before) out.push_back(word);
    }
    return out;
}

// The bench that a campaign names which cannot be read as a whole; nothing where not even that is there.
std::filesystem::path bench_named(const std::filesystem::path& campaign, const InputFiles& files) {
    lab::Gathered ignored;
    std::filesystem::path out;
    ignored.at([&] {
        const auto node = lab::parse_config(lab::read_file(campaign), campaign.string());
        const auto* head = node.find("campaign");
        const auto* bench = head ? head->find("bench") : nullptr;
        if (bench && bench->kind == lab::ConfigNode::Kind::text)
            out = files.find("bench", bench->text, campaign);
    });
    return out;
}

// `loaded->library` holds its rulebooks already.
void load(LoadedCampaign& loaded, const std::filesystem::path& campaign, const std::filesystem::path& bench,
          const InputFiles& files, const InputFiles& bench_files, const std::vector<std::string>& only,
          Profile profile, const Defaults& defaults, ReferenceOf reference) {
    lab::Gathered errors;
    const bool read = errors.at([&] {
        loaded.campaign =
            read_campaign(campaign, loaded.library, loaded.procedures, files, std::move(profile));
    });
    if (!read) {
        // Who has to mend the campaign hears of the bench in the same go.
        const auto beside = bench.empty() ? bench_named(campaign, files) : bench;
        if (!beside.empty()) errors.at([&] { read_bench(beside, bench_files); });
    }
    errors.finish();
    apply_defaults(defaults, files, loaded.campaign);
    const auto bench_path = bench.empty() ? loaded.campaign.bench : bench;
    if (bench_path.empty()) {
        fail_input(campaign.string(),
                   "the campaign names no bench: add bench = \"FILE\" to [campaign] or use --bench");
    }
    loaded.bench = read_bench(bench_path, bench_files);
    state_reference(loaded.campaign, loaded.bench, reference);
    loaded.plan = make_plan(loaded.campaign, loaded.bench, chosen_tests(loaded.campaign, only));
}

// "TEST.PARAMETER=VALUE", above those of the profile.
void set_test_parameters(const Call& call, Profile& profile) {
    for (const auto& text : call.texts("set")) {
        const auto [name, value] = set_option(text);
        const auto dot = name.rfind('.');
        if (dot == std::string::npos || dot == 0)
            fail_input("--set " + text + ": write TEST.PARAMETER=VALUE, as in scan.dwell=\"20 ms\"");
        auto& own = profile.parameters[name.substr(0, dot)];
        std::erase_if(
            own, [&, parameter = name.substr(dot + 1)](const auto& pair) { return pair.first == parameter; });
        own.emplace_back(name.substr(dot + 1), value);
    }
    if (!call.flag("set")) return;
    if (profile.title.empty()) profile.title = "set on the command line";
    profile.text = profile_text(profile);
}

Profile profile_of(const Call& call) {
    Profile profile;
    if (call.flag("profile")) profile = read_profile(call.text("profile"));
    if (call.flag("published")) {
        profile.published = true;
        profile.text = profile_text(profile);
    }
    set_test_parameters(call, profile);
    return profile;
}

}  // namespace

std::unique_ptr<LoadedCampaign> load_campaign(const Call& call, const std::filesystem::path& campaign,
                                              const std::filesystem::path& bench) {
    auto loaded = std::make_unique<LoadedCampaign>(Loaded::to_carry_on);
    loaded->library = load_rules(call);
    const DiskFiles files(share_folder() / "dialects");
    load(*loaded, campaign, bench, files, files, call.texts("only"), profile_of(call), defaults_of_today(),
         ReferenceOf::new_run);
    return loaded;
}

std::unique_ptr<LoadedCampaign> load_kept_campaign(const std::filesystem::path& run, Loaded what,
                                                   const std::filesystem::path& bench) {
    auto loaded = std::make_unique<LoadedCampaign>(what);
    const RunRecord record = Tally::open(run).read_frame();
    const KeptFiles files(run, record.files);
    loaded->library.add_all(files.further_rulebooks());
    Profile profile;
    if (files.has("profile")) profile = read_profile(files.find("profile", "", ""));
    Defaults defaults;
    if (files.has("defaults")) defaults = read_defaults({files.find("defaults", "", "")});
    const auto kept_bench = files.find("bench", "", "");
    const DiskFiles beside(share_folder() / "dialects");
    const bool corrected = !bench.empty();
    load(*loaded, files.campaign(), corrected ? bench : kept_bench, files,
         corrected ? static_cast<const InputFiles&>(beside) : files, record.head.selection,
         std::move(profile), defaults, corrected ? ReferenceOf::new_run : ReferenceOf::kept_run);
    if (corrected) loaded->corrected = read_bench(kept_bench, files);
    if (what == Loaded::to_look_at) return loaded;  // no program is started
    for (const auto& own : loaded->campaign.analyses) {
        const Analysis& analysis = own->analysis;
        if (sha256(read_file(files.find("program", analysis.program_reference, ""))) == analysis.digest)
            continue;
        fail_input(analysis.program.string(),
                   "is not the program that the run began with: put that one back (the run keeps a copy), or "
                   "begin a new run");
    }
    return loaded;
}

}  // namespace rt::cli
