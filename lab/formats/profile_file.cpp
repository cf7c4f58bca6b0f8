#include "lab/formats/profile_file.hpp"

#include <array>

#include "core/base/text.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
namespace {

constexpr std::array profile_keys{
    KeyInfo{"title", Key::text, false, "what the profile is for"},
    KeyInfo{"published", Key::flag, false,
            "where a rule presets a parameter, its value counts, whatever the campaign says"},
};
constexpr std::array profile_test_keys{
    KeyInfo{"name", Key::text, true, "name of a test of the campaign"},
    KeyInfo{"parameters", Key::pairs, true, "its parameters, above those of the campaign"},
};
constexpr std::array profile_root_keys{
    KeyInfo{"profile", Key::table, false, "the profile"},
    KeyInfo{"test", Key::tables, false, "parameters, test by test"},
};
constexpr SectionInfo profile_root{"the file", "", profile_root_keys};
constexpr SectionInfo profile_section{"[profile]", "The profile as a whole.", profile_keys};
constexpr SectionInfo test_parameters_section{"[[test]]", "The parameters of one test.", profile_test_keys};
constexpr std::array<const SectionInfo*, 3> profile_sections{&profile_root, &profile_section,
                                                             &test_parameters_section};

}  // namespace

const FileInfo profile_file{"profile", "Parameters of tests, to be put over those of a campaign (--profile).",
                            profile_sections};

Profile read_profile(const std::filesystem::path& file) {
    Profile profile;
    profile.text = read_file(file);
    const ConfigNode node = parse_config(profile.text, file.string());
    const ConfigSection root(node, file.string(), profile_root);
    if (const auto head = root.table("profile", profile_section)) {
        profile.title = head->text("title");
        profile.published = head->flag("published");
    }
    for (const auto& section : root.tables("test", test_parameters_section)) {
        profile.parameters[section.text("name")] = section.pairs("parameters");
    }
    return profile;
}

std::string profile_text(const Profile& profile) {
    std::string out = "[profile]\ntitle = " + toml_text(profile.title) + "\n";
    if (profile.published) out += "published = true\n";
    for (const auto& [test, parameters] : profile.parameters) {
        out += "\n[[test]]\nname = " + toml_text(test) + "\n\n[test.parameters]\n";
        for (const auto& [name, value] : parameters) out += name + " = " + toml_text(value) + "\n";
    }
    return out;
}

}  // namespace rt::lab
