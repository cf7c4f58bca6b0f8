#include "lab/analysis/ask.hpp"

#include <unistd.h>

#include <nlohmann/json.hpp>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/analysis/answer.hpp"
#include "lab/captures/capture_file.hpp"
#include "lab/formats/files.hpp"
#include "lab/program.hpp"

namespace rt::lab {
namespace {

using Json = nlohmann::ordered_json;

constexpr std::size_t most_answer = 256u << 20;

// A folder that goes away with its end.
class PassingFolder {
  public:
    PassingFolder() {
        std::string name = (std::filesystem::temp_directory_path() / "rare-tally-XXXXXX").string();
        if (!::mkdtemp(name.data()))
            throw Error(ErrorKind::output, name, "no folder for captures can be made");
        path_ = name;
    }
    ~PassingFolder() {
        std::error_code ignored;
        std::filesystem::remove_all(path_, ignored);
    }
    PassingFolder(const PassingFolder&) = delete;
    PassingFolder& operator=(const PassingFolder&) = delete;
    const std::filesystem::path& path() const { return path_; }

  private:
    std::filesystem::path path_;
};

Json parameters_json(const Parameters& parameters) {
    Json out = Json::object();
    for (const auto& [name, text] : parameters.texts()) {
        Json one{{"text", text}, {"stated", parameters.stated(name)}};
        if (const auto value = parameters.quantity(name)) {
            one["value"] = value->value;
            if (value->unit != Unit::none) one["unit"] = symbol(value->unit);
        }
        out[name] = std::move(one);
    }
    return out;
}

}  // namespace

Outcome ask_program(const Analysis& analysis, Inputs inputs, const Parameters& parameters) {
    // The program that was read and noted, and no other.
    if (sha256(read_file(analysis.program)) != analysis.digest)
        fail_signal(analysis.program.string() + " was changed since it was read");
    const PassingFolder folder;
    Json request{{"request", "measure"}, {"protocol", analysis_protocol}, {"procedure", analysis.name}};
    request["inputs"] = Json::array();
    std::size_t number = 0;
    for (const auto& input : inputs.all()) {
        const auto stem = folder.path() / ("capture-" + std::to_string(++number));
        const auto written = write_capture(stem, input.capture);
        request["inputs"].push_back(
            {{"name", input.name}, {"kind", kind_name(input.capture)}, {"file", written.file.string()}});
    }
    request["parameters"] = parameters_json(parameters);
    ProgramCall call{
        {analysis.program.string()}, folder.path() / "request.json", analysis.timeout_s, most_answer};
    call.words.insert(call.words.end(), analysis.arguments.begin(), analysis.arguments.end());
    write_file(call.input, request.dump(-1, ' ', false, Json::error_handler_t::replace) + "\n");
    const ProgramEnd end = run_program(call);
    if (!end.trouble.empty()) {
        const std::string words = last_line(end.said);
        fail_signal(analysis.program.string() + " " + end.trouble + (words.empty() ? "" : ": " + words));
    }
    Outcome outcome = read_answer(analysis, end.output);
    outcome.notes.push_back("made by the user's own program " + analysis.program.filename().string() +
                            ", SHA-256 " + analysis.digest);
    return outcome;
}

}  // namespace rt::lab
