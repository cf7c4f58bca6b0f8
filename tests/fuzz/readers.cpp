#include "tests/fuzz/readers.hpp"

#include <algorithm>
#include <array>
#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <memory>

#include "core/base/error.hpp"
#include "core/catalogue/catalogue.hpp"
#include "core/measure/procedure.hpp"
#include "core/rules/rule_text.hpp"
#include "core/serial/code_8b10b.hpp"
#include "lab/analysis/answer.hpp"
#include "lab/bench/numbers.hpp"
#include "lab/captures/capture_file.hpp"
#include "lab/captures/kind.hpp"
#include "lab/counting/counting_program.hpp"
#include "lab/formats/analysis_file.hpp"
#include "lab/formats/bench_file.hpp"
#include "lab/formats/campaign_file.hpp"
#include "lab/formats/correction_file.hpp"
#include "lab/formats/defaults_file.hpp"
#include "lab/formats/dialect_file.hpp"
#include "lab/formats/exported_spectrum.hpp"
#include "lab/formats/kit_file.hpp"
#include "lab/formats/layout_file.hpp"
#include "lab/formats/list_file.hpp"
#include "lab/formats/profile_file.hpp"
#include "lab/formats/question_section.hpp"
#include "lab/formats/registers_file.hpp"
#include "lab/formats/rulebook_file.hpp"
#include "lab/formats/sigmf.hpp"
#include "lab/formats/sign_off_file.hpp"
#include "lab/formats/touchstone.hpp"
#include "lab/formats/wafer_map_file.hpp"
#include "lab/formats/wav.hpp"
#include "lab/formats/zip_archive.hpp"
#include "lab/report/page/language.hpp"
#include "lab/report/page/office_template.hpp"
#include "lab/report/page/own_template.hpp"
#include "lab/run/plan.hpp"
#include "lab/session/hislip_session.hpp"
#include "lab/session/vxi11_session.hpp"
#include "lab/simulate/instruments/analyser.hpp"
#include "lab/simulate/instruments/cellular_tester.hpp"
#include "lab/simulate/stage.hpp"
#include "lab/tally/chain.hpp"
#include "lab/tally/tally.hpp"
#include "tests/fuzz/answering.hpp"

// Asked for by sanitizers. The library of remote procedure calls loses the octets of a verifier that is cut
// off in an answer; the session is over then.
extern "C" __attribute__((visibility("default"))) const char* __lsan_default_suppressions();
extern "C" const char* __lsan_default_suppressions() {
    return "leak:libtirpc\n";
}

namespace fuzz {
namespace {

using namespace rt;
using namespace rt::lab;
namespace fs = std::filesystem;

// A folder in memory where this process keeps what readers want as files. It stays: the next process takes it
// over.
const fs::path& folder() {
    static const fs::path made = [] {
        const fs::path shm = "/dev/shm";
        fs::path path = (fs::exists(shm) ? shm : fs::temp_directory_path()) / "rare-tally-readers";
        path += "-" + std::to_string(::getpid());
        fs::create_directories(path);
        std::atexit([] {
            std::error_code ignored;
            fs::remove_all(folder(), ignored);
        });
        return path;
    }();
    return made;
}

fs::path file_of(const std::string& name, std::string_view bytes) {
    const fs::path path = folder() / name;
    std::ofstream(path, std::ios::binary).write(bytes.data(), static_cast<std::streamsize>(bytes.size()));
    return path;
}

fs::path source() {
    return RT_SOURCE;
}

// Beside a file that is read stands nothing; dialects are the shipped ones.
const DiskFiles& disk() {
    static const DiskFiles files(source() / "dialects");
    return files;
}

RuleLibrary& rules() {
    static RuleLibrary library = [] {
        RuleLibrary out;
        out.add_folder(source() / "rulebooks");
        return out;
    }();
    return library;
}

// A campaign and what would be done by it, on a bench that stands beside it.
void read_whole_campaign(std::string_view bytes) {
    static const bool beside = [] {
        for (const char* name : {"bench.toml", "skerry-2.toml", "antenna-h2.csv", "network-n3.csv"})
            fs::copy_file(source() / "demo" / name, folder() / name, fs::copy_options::overwrite_existing);
        return true;
    }();
    static const Bench bench = read_bench(folder() / "bench.toml", disk());
    const auto file = file_of("campaign.toml", bytes);
    ProcedureLibrary procedures;
    const Campaign campaign = read_campaign(file, rules(), procedures, disk());
    if (beside) make_plan(campaign, bench);
}

void read_whole_rulebook(std::string_view bytes) {
    const Rulebook book = read_rulebook(bytes, "book.toml");
    for (const auto& rule : book.rules) {
        sayings(rule);
        doubts({&book, &rule}, {});
    }
}

void read_kept_table(std::string_view bytes) {
    const Capture capture = parse_capture_csv(bytes, "table.csv");
    // What was read is written, and reads back.
    const auto written = kind_of(capture).write(folder() / "again", capture);
    if (written.file.extension() == ".csv" && !written.content.empty())
        parse_capture_csv(written.content, "again.csv");
}

void read_module(std::string_view bytes) {
    const bool csv = !bytes.empty() && bytes.front() == 'd';
    const auto registers = csv                           ? parse_registers_csv(bytes, "r.csv")
                           : holds_registers_dump(bytes) ? parse_registers_dump(bytes, "r.txt")
                                                         : parse_registers_bytes(bytes, "r.bin");
    for (const char* name : {"module.sff-8472", "module.sff-8636", "module.cmis"}) {
        const auto& procedure = find_procedure(name);
        Parameters parameters(procedure.parameters);
        parameters.fill_defaults();
        measure(procedure, Capture(registers), parameters);
    }
}

template <typename Take>
void samples_of(const Capture& capture, const Take& take) {
    if (const auto* iq = std::get_if<IqRecord>(&capture)) {
        std::vector<std::complex<float>> some(std::min<std::uint64_t>(iq->samples->size(), 1000));
        iq->samples->read(0, some);
        take(some.size());
    }
    if (const auto* wave = std::get_if<Waveform>(&capture)) {
        for (const auto& channel : wave->channels) {
            std::vector<float> some(std::min<std::uint64_t>(channel->size(), 1000));
            channel->read(0, some);
            take(some.size());
        }
    }
}

void read_described_samples(std::string_view bytes) {
    static const fs::path data = file_of("samples.sigmf-data", std::string(4096, '\x11'));
    samples_of(read_sigmf(file_of("samples.sigmf-meta", bytes), {}), [](std::size_t) {});
}

void read_sound(std::string_view bytes) {
    samples_of(read_wav(file_of("sound.wav", bytes), {}), [](std::size_t) {});
}

// The first octet: how numbers come.
void read_numbers(std::string_view bytes) {
    if (bytes.empty()) return;
    const auto first = static_cast<unsigned char>(bytes.front());
    DataForm form;
    form.form = static_cast<NumberForm>(first % 6);
    form.big_endian = first >= 128;
    decode_numbers(bytes.substr(1), form);
    parse_scpi_number(bytes.substr(1));
}

// What somebody says to a simulated tester of mobile devices, which knows an analyser's words too. Messages
// end at a line.
void read_commands(std::string_view bytes) {
    static const auto unit = std::make_shared<SimulatedUnit>(source() / "demo/attached/simulated-modem.toml");
    const auto stage = std::make_shared<Stage>(unit, Stage::Options{1, true, false});
    SimulatedCellularTester tester(stage, {.port = "lte", .role = "lte-tester"});
    // Small records only: what is asked for in one message may be twenty million samples.
    tester.handle("SENSe:SAMPle:COUNt 100;:SENSe:SWEep:POINts 11");
    std::size_t from = 0;
    for (int messages = 0; from < bytes.size() && messages < 20; ++messages) {
        const auto end = std::min(bytes.find('\n', from), bytes.size());
        const std::string message(bytes.substr(from, end - from));
        from = end + 1;
        std::string plain;
        for (const char c : message) plain += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
        if (plain.find("COUN") != std::string::npos || plain.find("POIN") != std::string::npos) continue;
        tester.handle(message);
    }
}

void read_counter_answer(std::string_view bytes) {
    counts_said(std::string(bytes), {});
}

void read_analysis_answer(std::string_view bytes) {
    Analysis analysis;
    analysis.name = "own.fuzz";
    analysis.taken_like = &find_procedure("emission.scan");
    read_answer(analysis, bytes);
}

PageData few_values() {
    PageData page;
    page.set("title", "title");
    page.set("operator", "");
    PageData rows{kainjow::mustache::data::type::list};
    PageData row;
    row.set("name", "a");
    row.set("value", "<&>");
    rows.push_back(row);
    page.set("findings", rows);
    return page;
}

void read_own_template(std::string_view bytes) {
    fill_template(std::string(bytes), "letter.html.mustache", few_values(), true);
}

void read_office(std::string_view bytes) {
    fill_office(std::string(bytes), "letter.docx", few_values(), {});
}

void read_own_analysis(std::string_view bytes) {
    read_analysis(file_of("analysis.toml", bytes), disk(), false);
}

void read_answers_of_operator(std::string_view bytes) {
    Question ask;
    ask.name = "temperature", ask.kind = Question::Kind::value;
    read_answers(file_of("answers.toml", bytes), {ask}, {"ready"});
}

constexpr std::chrono::milliseconds patience{100};

// Everything that may be asked of an instrument over a network whose answers are made up.
void talk(Session& session) {
    session.write("*IDN?\n");
    session.read_until('\n', patience);
    session.write("TRACe:DATA?\n");
    session.read_exactly(64, patience);
    session.status();
    session.service_requested();
    session.lock("", patience);
    session.unlock();
    session.clear();
    session.trigger();
    session.to_local();
}

void read_hislip(std::string_view bytes) {
    const Answering peer(bytes, Calls::none);
    HislipSession session("127.0.0.1", peer.port(), "hislip0", patience);
    talk(session);
}

void read_vxi11(std::string_view bytes) {
    const Answering peer(bytes, Calls::numbered);
    Vxi11Session session("127.0.0.1", peer.port(), "inst0", patience);
    talk(session);
}

// A run with a point, its capture, a finding and an event, as somebody hands it in who has changed octets of
// its file: four octets of input say where (three) and to what. What is written of the chain is read, and
// what stands in the tables.
void read_handed_in(std::string_view bytes) {
    static const std::string sound = [] {
        const fs::path made = folder() / "made";
        fs::remove_all(made);
        {
            Tally tally = Tally::create(made, [] {
                RunRecord run;
                run.head.title = "handed in", run.head.started = "2026-05-04T08:00:00.000Z";
                run.tests.push_back({"scan", "Scan", "emission.scan", "analyser", "", 1});
                run.files.push_back({"inputs/campaign.toml", "campaign", std::string(64, 'a'), ""});
                return run;
            });
            PointRecord point;
            point.position = 1, point.id = "0123456789abcdef", point.test = "scan",
            point.label = "state=idle";
            point.axes.emplace_back("state", "idle");
            point.results.push_back({"highest_level", {50, Unit::dbuv}, 1.5});
            Finding finding;
            finding.rule = "cispr-32/mains-b-qp", finding.unit = Unit::dbuv, finding.limit = 60,
            finding.value = 50, finding.margin = 10, finding.verdict = Verdict::pass;
            point.findings.push_back(finding);
            point.notes.emplace_back("a note");
            tally.add(point);
            tally.add(EventRecord{"2026-05-04T08:00:01.000Z", "note", "an event"});
        }
        std::ifstream in(made / tally_file, std::ios::binary);
        return std::string(std::istreambuf_iterator<char>(in), {});
    }();
    std::string changed = sound;
    for (std::size_t i = 0; i + 4 <= bytes.size(); i += 4) {
        const auto octet = [&](std::size_t k) {
            return std::size_t{static_cast<unsigned char>(bytes[i + k])};
        };
        changed[(octet(0) << 16 | octet(1) << 8 | octet(2)) % changed.size()] = bytes[i + 3];
    }
    const fs::path handed = folder() / "handed";
    fs::create_directories(handed);
    for (const char* beside : {"-wal", "-shm"}) fs::remove(handed / (std::string(tally_file) + beside));
    std::ofstream(handed / tally_file, std::ios::binary) << changed;
    verify_run(handed);
    Tally::open(handed).read();
}

constexpr std::array all{
    Reader{"campaign", "demo/*.toml demo/*/campaign.toml", read_whole_campaign},
    Reader{"rulebook", "rulebooks/*.toml demo/*/limits.toml", read_whole_rulebook},
    Reader{"bench", "demo/*bench.toml demo/*/bench.toml",
           [](std::string_view b) { read_bench(file_of("a-bench.toml", b), disk()); }},
    Reader{"dialect", "dialects/*.toml demo/*/*-control.toml demo/harbour/harbour-analyser.toml",
           [](std::string_view b) { read_dialect(file_of("a-dialect.toml", b)); }},
    Reader{"unit", "demo/skerry-2.toml demo/*/simulated-*.toml demo/harbour/unit.toml",
           [](std::string_view b) { SimulatedUnit(file_of("a-unit.toml", b)); }},
    Reader{"list", "demo/field/visit.toml", [](std::string_view b) { read_list(file_of("a-list.toml", b)); }},
    Reader{"profile", "tests/fuzz/seeds/profile/*",
           [](std::string_view b) { read_profile(file_of("p.toml", b)); }},
    Reader{"defaults", "tests/fuzz/seeds/defaults/*",
           [](std::string_view b) { read_defaults({file_of("d.toml", b)}); }},
    Reader{"answers", "demo/answers*.toml", read_answers_of_operator},
    Reader{"analysis", "tests/fuzz/seeds/analysis/*", read_own_analysis},
    Reader{"kit", "tests/fuzz/seeds/kit/*", [](std::string_view b) { parse_kit(b, "kit.toml"); }},
    Reader{"layout", "tests/fuzz/seeds/layout/*", [](std::string_view b) { parse_layout(b, "layout.toml"); }},
    Reader{"sign-offs", "tests/fuzz/seeds/sign-offs/*",
           [](std::string_view b) { read_sign_offs(b, "s.toml"); }},
    Reader{"language", "languages/*.toml", [](std::string_view b) { read_language(file_of("l.toml", b)); }},
    Reader{"table", "tests/fuzz/seeds/table/* demo/receiver/blockers.csv", read_kept_table},
    Reader{"correction", "demo/*.csv", [](std::string_view b) { parse_correction(b, "c.csv"); }},
    Reader{"exported-spectrum", "tests/fuzz/seeds/exported-spectrum/*",
           [](std::string_view b) { parse_exported(b, "export.csv", {}); }},
    Reader{"touchstone", "tests/fuzz/seeds/touchstone/*",
           [](std::string_view b) { parse_touchstone(b, "two.s2p", 2); }},
    Reader{"wafer-map", "demo/wafer/wafer.toml", [](std::string_view b) { parse_wafer_map(b, "map.toml"); }},
    Reader{"module", "demo/module/uplink-*.txt tests/fuzz/seeds/module/*", read_module},
    Reader{"sigmf", "tests/fuzz/seeds/sigmf/*", read_described_samples},
    Reader{"wav", "tests/fuzz/seeds/wav/*", read_sound},
    Reader{"zip", "demo/certificate.docx", [](std::string_view b) { read_zip(b, "a.zip"); }},
    Reader{"office-template", "demo/certificate.docx", read_office},
    Reader{"own-template", "demo/certificate.md.mustache demo/beacon/certificate.html.mustache",
           read_own_template},
    Reader{"instrument-numbers", "tests/fuzz/seeds/instrument-numbers/*", read_numbers},
    Reader{"commands", "tests/fuzz/seeds/commands/*", read_commands},
    Reader{"hislip", "tests/fuzz/seeds/hislip/*", read_hislip},
    Reader{"vxi11", "tests/fuzz/seeds/vxi11/*", read_vxi11},
    Reader{"tally", "tests/fuzz/seeds/tally/*", read_handed_in},
    Reader{"counter-answer", "tests/fuzz/seeds/counter-answer/*", read_counter_answer},
    Reader{"analysis-answer", "tests/fuzz/seeds/analysis-answer/*", read_analysis_answer},
};

}  // namespace

std::span<const Reader> readers() {
    return all;
}

const Reader* find_reader(std::string_view name) {
    const auto at = std::find_if(all.begin(), all.end(), [&](const Reader& r) { return name == r.name; });
    return at == all.end() ? nullptr : &*at;
}

std::string take(const Reader& reader, std::string_view bytes) {
    try {
        reader.read(bytes);
    } catch (const Error& error) {
        if (error.kind() == ErrorKind::internal) throw;
        if (error.message().empty()) return "an error without a message";
    }
    return {};
}

}  // namespace fuzz
