// Complex samples and waveforms from files: what is read, and what is refused.
#include <doctest/doctest.h>
#include <sndfile.h>

#include <cmath>

#include "lab/captures/capture_file.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/sigmf.hpp"
#include "tests/about.hpp"
#include "tests/expect_error.hpp"
#include "tests/lab/folder.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

template <typename Number>
std::string bytes(const std::vector<Number>& numbers) {
    return {reinterpret_cast<const char*>(numbers.data()), numbers.size() * sizeof(Number)};
}

std::string meta(const std::string& type, const std::string& more = "", const std::string& captures = "") {
    return "{\"global\": {\"core:datatype\": \"" + type + "\", \"core:sample_rate\": 2e6" + more +
           "}, \"captures\": [" + (captures.empty() ? "{\"core:frequency\": 2.405e9}" : captures) + "]}";
}

std::string refusal(const TestFolder& folder, const CaptureHints& hints = {}) {
    std::string text = input_error([&] { read_capture(folder.path() / "a.sigmf-meta", hints); });
    const std::string place = folder.path().string() + "/";
    for (auto at = text.find(place); at != std::string::npos; at = text.find(place))
        text.erase(at, place.size());
    return text;
}

}  // namespace

TEST_CASE("SigMF: every type is scaled by its full scale, level and frequency come along") {
    TestFolder folder;
    const auto read = [&](const std::string& type, const std::string& data) {
        write_file(folder.path() / "a.sigmf-meta", meta(type, ", \"tally:reference_level_dbm\": -10"));
        write_file(folder.path() / "a.sigmf-data", data);
        return std::get<IqRecord>(read_capture(folder.path() / "a.sigmf-data"));
    };
    const std::vector<IqRecord> records{read("cf32_le", bytes<float>({0.5F, -0.25F, 1, 0})),
                                        read("ci16_le", bytes<std::int16_t>({16384, -8192, 32767, 0})),
                                        read("ci8", bytes<std::int8_t>({64, -32, 127, 0}))};
    for (const auto& record : records) {
        CHECK(record.size() == 2);
        CHECK(record.sample_rate_hz == 2e6);
        CHECK(record.centre_hz == 2.405e9);
        CHECK(*record.reference_level_dbm == -10);
        const auto x = record.read(0, 2);
        CHECK(x[0].real() == 0.5F);
        CHECK(x[0].imag() == -0.25F);
        CHECK(x[1].real() == about(1).epsilon(0.01));
        CHECK(record.read(1, 1)[0] == x[1]);
    }
}

TEST_CASE("SigMF: real samples are volts, integers unscaled") {
    TestFolder folder;
    write_file(folder.path() / "a.sigmf-meta", meta("ri16_le", ", \"tally:volts_per_unit\": 0.001"));
    write_file(folder.path() / "a.sigmf-data", bytes<std::int16_t>({1000, -2000, 5}));
    const auto wave = std::get<Waveform>(read_capture(folder.path() / "a.sigmf-meta"));
    const auto volts = wave.volts();
    REQUIRE(volts.size() == 3);
    CHECK(volts[1] == -2);
    CHECK(volts[2] == about(0.005));
    CHECK(wave.step_s == 0.5e-6);
    CHECK_FALSE(wave.clipped());
}

TEST_CASE("SigMF: what does not fit together is refused in one line") {
    TestFolder folder;
    const auto set = [&](const std::string& description, const std::string& data = std::string(16, '\0')) {
        write_file(folder.path() / "a.sigmf-meta", description);
        write_file(folder.path() / "a.sigmf-data", data);
    };
    set(meta("cf32_le"), std::string(20, '\0'));
    CHECK(refusal(folder) ==
          "a.sigmf-data: 20 bytes are no whole number of cf32_le samples of 8 bytes: the file is cut off or "
          "of another "
          "type");
    set("{\"global\": {\"core:datatype\": \"cf32_le\"}, \"captures\": []}");
    CHECK(refusal(folder) ==
          "a.sigmf-meta: states no sample rate (core:sample_rate): add it, or give it with --sample-rate");
    CaptureHints rate;
    rate.sample_rate_hz = 1e6;
    CHECK(std::get<IqRecord>(read_capture(folder.path() / "a.sigmf-meta", rate)).sample_rate_hz == 1e6);
    set(meta("cf33_le"));
    CHECK(
        refusal(folder) ==
        "a.sigmf-meta: unknown sample type \"cf33_le\": cf32_le, ci16_le, ci8, rf32_le, ri16_le can be read");
    set(meta("cf32_le", ", \"core:sha512\": \"" + std::string(128, '0') + "\""));
    CHECK(refusal(folder) ==
          "a.sigmf-data: was altered: its SHA-512 is not the core:sha512 of its description");
    set(meta("cf32_le"));
    CHECK(refusal(folder, rate) == "a.sigmf-meta: states the sample rate 2 MHz, the option says 1 MHz");
    set(meta("cf32_le", ", \"core:num_channels\": 2"));
    CHECK(refusal(folder).find("holds 2 channels") != std::string::npos);
    set(meta("cf32_le", "", "{\"core:frequency\": 1e9}, {\"core:frequency\": 2e9}"));
    CHECK(refusal(folder).find("parts at different frequencies, 1 GHz and 2 GHz") != std::string::npos);
    set("[]");
    CHECK(refusal(folder) == "a.sigmf-meta: has no object \"global\": a SigMF description is expected");
    set("x");
    CHECK(refusal(folder) == "a.sigmf-meta: is no JSON: a SigMF description is expected");
    set(meta("cf32_le"), "");
    CHECK(refusal(folder) == "a.sigmf-data: holds no samples");
    std::filesystem::remove(folder.path() / "a.sigmf-data");
    CHECK(refusal(folder) == "a.sigmf-meta: has no samples a.sigmf-data beside it");
    float bad[4] = {0, 0, 0, std::nanf("")};
    set(meta("cf32_le"), std::string(reinterpret_cast<char*>(bad), sizeof bad));
    CHECK(input_error([&] {
              std::get<IqRecord>(read_capture(folder.path() / "a.sigmf-meta")).read(0, 2);
          }).ends_with("sample 1 is not a finite number"));
}

TEST_CASE("written records read back the same, with their trouble") {
    TestFolder folder;
    IqRecord record = iq_in_memory({{0.1F, 0.2F}, {-0.3F, 0.4F}}, 4e6, 868e6, 7.5);
    record.distrust = "overload";
    const auto file = write_capture(folder.path() / "kept", record).file;
    const auto back = std::get<IqRecord>(read_capture(file));
    CHECK(back.read(0, 2) == record.read(0, 2));
    CHECK(back.centre_hz == 868e6);
    CHECK(*back.reference_level_dbm == 7.5);
    CHECK(back.distrust == "overload");
    const auto wave =
        write_capture(folder.path() / "wave", waveform_in_memory({{0.5, -1}, {3, 4}}, 1e-3)).file;
    const auto read = std::get<Waveform>(read_capture(wave));
    REQUIRE(read.channels.size() == 2);
    CHECK(read.volts(0) == std::vector<double>{0.5, -1});
    CHECK(read.volts(1) == std::vector<double>{3, 4});
}

TEST_CASE("WAV: two channels are I and Q, other numbers are waveforms") {
    TestFolder folder;
    const auto write = [&](const char* name, int channels, const std::vector<short>& values) {
        SF_INFO info{};
        info.samplerate = 48000;
        info.channels = channels;
        info.format = SF_FORMAT_WAV | SF_FORMAT_PCM_16;
        SNDFILE* file = sf_open((folder.path() / name).c_str(), SFM_WRITE, &info);
        sf_write_short(file, values.data(), static_cast<sf_count_t>(values.size()));
        sf_close(file);
    };
    write("iq.wav", 2, {16384, -8192, 0, 32767});
    CaptureHints hints;
    hints.centre_hz = 1e6;
    const auto record = std::get<IqRecord>(read_capture(folder.path() / "iq.wav", hints));
    CHECK(record.sample_rate_hz == 48000);
    CHECK(record.centre_hz == 1e6);
    CHECK(record.read(0, 1)[0] == std::complex<float>(0.5F, -0.25F));
    write("one.wav", 1, {16384, -16384});
    hints.volts_per_unit = 10;
    CHECK(std::get<Waveform>(read_capture(folder.path() / "one.wav", hints)).volts() ==
          std::vector<double>{5, -5});
    write("three.wav", 3, {1, 2, 3});
    const auto three = std::get<Waveform>(read_capture(folder.path() / "three.wav"));
    REQUIRE(three.channels.size() == 3);
    CHECK(three.volts(2)[0] == about(3.0 / 32768));
    write_file(folder.path() / "no.wav", "nothing of the kind");
    CHECK(input_error([&] { read_capture(folder.path() / "no.wav"); }).find("cannot be read as WAV") !=
          std::string::npos);
}

TEST_CASE("bare samples need their type and rate") {
    TestFolder folder;
    write_file(folder.path() / "x.bin", bytes<std::int16_t>({16384, 0}));
    CaptureHints hints;
    hints.sample_type = "ci16";
    CHECK(input_error([&] { read_capture(folder.path() / "x.bin", hints); }).find("--sample-rate") !=
          std::string::npos);
    hints.sample_rate_hz = 1e6;
    CHECK(std::get<IqRecord>(read_capture(folder.path() / "x.bin", hints)).read(0, 1)[0].real() == 0.5F);
}
