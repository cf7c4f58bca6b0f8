#include "cli/command.hpp"
#include "cli/shipped.hpp"
#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/dialect_file.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/proof/begin_dialect.hpp"

namespace rt::cli {
namespace {

ExitCode list(const Call& call) {
    std::vector<std::vector<std::string>> rows;
    for (const auto& dialect : shipped_dialects())
        rows.push_back({dialect.id, dialect.kind->name, dialect.title});
    for (const auto& line : aligned(rows, "")) call.console.out(line);
    return ExitCode::passed;
}

// As it stands, to be copied.
ExitCode show(const Call& call, const std::string& id) {
    std::vector<std::string> ids;
    for (const auto& dialect : shipped_dialects()) {
        ids.push_back(dialect.id);
        if (dialect.id != id) continue;
        std::string text = read_file(share_folder() / "dialects" / (id + ".toml"));
        while (text.ends_with('\n')) text.pop_back();
        call.console.out(text);
        return ExitCode::passed;
    }
    fail_input("no dialect " + in_quotes(id) + " is shipped" + suggestion(id, ids));
}

// What it begins from: the one that was named, or the first shipped one of the kind.
Dialect base_of(const Call& call) {
    const DiskFiles files(share_folder() / "dialects");
    if (call.flag("like")) return read_dialect(files.find("dialect", call.text("like"), ""), &files);
    if (!call.flag("kind"))
        fail_input(
            "dialects new needs --kind KIND (what the instrument is) or --like DIALECT (what it resembles)");
    const RoleKind& kind = find_role_kind(call.text("kind"));
    for (auto& dialect : shipped_dialects()) {
        if (dialect.kind == &kind) return std::move(dialect);
    }
    fail_input("--kind " + call.text("kind") + ": no dialect of this kind is shipped: name one with --like");
}

const char* word(BegunLine::End end) {
    switch (end) {
        case BegunLine::End::as_like:
            return "works";
        case BegunLine::End::other:
            return "other";
        case BegunLine::End::none:
            return "without";
        case BegunLine::End::person:
            return "decide";
    }
    return "";
}

ExitCode begin(const Call& call, const std::string& address) {
    const std::filesystem::path file = call.text("out");
    if (file.empty() || file.extension() != ".toml")
        fail_input("dialects new needs --out FILE.toml, where the dialect is to stand");
    if (std::filesystem::exists(file)) fail_input(file.string(), "is there already: give another name");
    const Dialect like = base_of(call);
    if (like.kind->open_settings)
        fail_input("the settings of a unit are its own: copy the dialect unit-control");
    double patience_s = 2;
    if (call.flag("timeout")) patience_s = parse_quantity(call.text("timeout"), Unit::second).value;
    if (!(patience_s >= 0.01 && patience_s <= 60))
        fail_input("--timeout " + call.text("timeout") + ": 10 ms to 60 s");
    const auto patience = to_milliseconds(patience_s);
    const auto session = open_session(parse_address(address), patience);
    const BegunDialect begun = begin_dialect(*session, like, file.stem().string(), patience);
    const Console& console = call.console;
    console.out("says       " + printable(begun.identity));
    console.out("headers    " + (begun.headers
                                     ? std::to_string(begun.headers) + " that it lists of itself"
                                     : std::string("it lists none of itself: alternatives were tried")));
    std::vector<std::vector<std::string>> rows;
    for (const auto& line : begun.lines)
        rows.push_back({word(line.end), line.command, printable(line.text), printable(line.note)});
    for (const auto& line : aligned(rows, "")) console.out(line);
    for (const auto& detector : begun.detectors_refused) console.out("refused    detector " + detector);
    for (const auto& what : begun.decide) console.out("to decide  " + printable(what));
    write_file(file, begun.text);
    console.out("wrote " + file.string() + ": like " + like.id + ", with what differs");
    console.progress(begun.decide.empty()
                         ? "next: bench BENCH --try proves it"
                         : "next: decide what is open in it, then bench BENCH --try proves it");
    return begun.decide.empty() ? ExitCode::passed : ExitCode::no_verdict;
}

ExitCode perform_dialects(const Call& call) {
    const auto what = call.texts("what");
    if (what.empty()) return list(call);
    if (what.front() == "list" && what.size() == 1) return list(call);
    if (what.front() == "show" && what.size() == 2) return show(call, what[1]);
    if (what.front() != "new" || what.size() != 2)
        fail_input(
            "dialects lists those that are shipped; dialects show DIALECT prints one, dialects new ADDRESS "
            "begins "
            "one for an instrument");
    return begin(call, what[1]);
}

}  // namespace

Command dialects_command() {
    return {"dialects",
            "[list | show DIALECT | new ADDRESS --kind KIND --out FILE.toml]",
            "the shipped dialects; print one, begin one for an instrument that is not known yet",
            "rare-tally dialects new tcp://192.0.2.7:5025 --kind analyser --out mine.toml",
            {{"kind", "KIND", "what the instrument is: analyser, generator ..."},
             {"like", "DIALECT", "the dialect to begin from, instead of the shipped one of the kind"},
             {"out", "FILE", "where the dialect is to stand, .toml"},
             {"timeout", "TIME", "how long a question may take; 2 s without it"}},
            "what",
            perform_dialects};
}

}  // namespace rt::cli
