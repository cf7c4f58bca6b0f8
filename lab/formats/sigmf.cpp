#include "lab/formats/sigmf.hpp"

#include <fcntl.h>
#include <openssl/evp.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <nlohmann/json.hpp>

#include "core/base/error.hpp"
#include "core/base/hex.hpp"
#include "core/base/text.hpp"
#include "core/dsp/widen.hpp"
#include "lab/formats/files.hpp"

namespace rt {
namespace {

using nlohmann::json;
using Sample = std::complex<float>;

enum class Layout { f32, i16, i8 };

struct SampleType {
    const char* name;
    bool complex;
    Layout layout;
    std::size_t bytes;  // of one sample
    float rail;
};

constexpr std::array types{
    SampleType{"cf32_le", true, Layout::f32, 8, 1.0F},
    SampleType{"ci16_le", true, Layout::i16, 4, 32767.0F / 32768.0F},
    SampleType{"ci8", true, Layout::i8, 2, 127.0F / 128.0F},
    SampleType{"rf32_le", false, Layout::f32, 4, 1.0F},
    SampleType{"ri16_le", false, Layout::i16, 2, 32767.0F},
};

const SampleType& type_named(const std::string& place, const std::string& name) {
    std::vector<std::string> names;
    for (const auto& type : types) {
        if (name == type.name) return type;
        names.emplace_back(type.name);
    }
    std::string list;
    for (const auto& known : names) list += (list.empty() ? "" : ", ") + known;
    fail_input(place, "unknown sample type " + in_quotes(name) + ": " + list + " can be read");
}

// Samples in a file, read piece by piece.
class FileSamples : public IqSamples {
  public:
    FileSamples(const std::filesystem::path& file, const SampleType& type)
        : IqSamples(type.rail), file_(file), type_(type), handle_(open(file.c_str(), O_RDONLY | O_CLOEXEC)) {
        if (handle_ < 0) fail_input(file.string(), std::string("cannot be read: ") + std::strerror(errno));
        const auto bytes = std::filesystem::file_size(file);
        if (bytes % type.bytes != 0) {
            fail_input(file.string(), std::to_string(bytes) + " bytes are no whole number of " + type.name +
                                          " samples of " + std::to_string(type.bytes) +
                                          " bytes: the file is cut off or of another type");
        }
        if (bytes == 0) fail_input(file.string(), "holds no samples");
        size_ = bytes / type.bytes;
    }
    ~FileSamples() override { close(handle_); }
    FileSamples(const FileSamples&) = delete;
    FileSamples& operator=(const FileSamples&) = delete;

    std::uint64_t size() const override { return size_; }

  protected:
    float fetch(std::uint64_t first, std::span<Sample> out) const override {
        auto* values = reinterpret_cast<float*>(out.data());
        if (type_.layout == Layout::f32) {
            read_bytes(first * type_.bytes, out.data(), out.size() * type_.bytes);
            for (std::size_t i = 0; i < 2 * out.size(); ++i) {
                if (std::isfinite(values[i])) continue;
                fail_input(file_.string(),
                           "sample " + std::to_string(first + i / 2) + " is not a finite number");
            }
            return largest_component(out);
        }
        const std::size_t bytes = out.size() * type_.bytes;
        thread_local std::vector<char> raw;
        raw.resize(bytes);
        read_bytes(first * type_.bytes, raw.data(), bytes);
        if (type_.layout == Layout::i16) {
            return widen(reinterpret_cast<const std::int16_t*>(raw.data()), values, 2 * out.size());
        }
        return widen(reinterpret_cast<const std::int8_t*>(raw.data()), values, 2 * out.size());
    }

  private:
    void read_bytes(std::uint64_t from, void* to, std::size_t bytes) const {
        auto* at = static_cast<char*>(to);
        while (bytes > 0) {
            const auto got = pread(handle_, at, bytes, static_cast<off_t>(from));
            if (got < 0 && errno == EINTR) continue;
            if (got <= 0) {
                fail_input(file_.string(), got == 0 ? std::string("became shorter while it was read")
                                                    : std::string("cannot be read: ") + std::strerror(errno));
            }
            at += got;
            from += static_cast<std::uint64_t>(got);
            bytes -= static_cast<std::size_t>(got);
        }
    }

    std::filesystem::path file_;
    SampleType type_;
    int handle_;
    std::uint64_t size_ = 0;
};

std::string sha512_of(const std::filesystem::path& file) {
    const int handle = open(file.c_str(), O_RDONLY | O_CLOEXEC);
    if (handle < 0) fail_input(file.string(), std::string("cannot be read: ") + std::strerror(errno));
    EVP_MD_CTX* state = EVP_MD_CTX_new();
    EVP_DigestInit_ex(state, EVP_sha512(), nullptr);
    std::vector<char> piece(1 << 20);
    ssize_t got = 0;
    while ((got = read(handle, piece.data(), piece.size())) > 0) {
        EVP_DigestUpdate(state, piece.data(), static_cast<std::size_t>(got));
    }
    close(handle);
    std::uint8_t digest[EVP_MAX_MD_SIZE];
    unsigned int length = 0;
    EVP_DigestFinal_ex(state, digest, &length);
    EVP_MD_CTX_free(state);
    return hexadecimal({digest, length});
}

struct Description {
    std::string type;
    std::optional<double> rate, centre, reference, volts;
    std::string sha512;
    std::optional<std::string> trouble;
    std::size_t channels = 1;
};

std::optional<double> number_in(const std::string& place, const json& from, const char* key) {
    if (!from.contains(key)) return std::nullopt;
    if (!from[key].is_number()) fail_input(place, std::string(key) + " is not a number");
    return from[key].get<double>();
}

Description describe(const std::filesystem::path& meta) {
    const std::string place = meta.string();
    json tree;
    try {
        tree = json::parse(read_file(meta));
    } catch (const json::exception&) {
        fail_input(place, "is no JSON: a SigMF description is expected");
    }
    if (!tree.is_object() || !tree.contains("global") || !tree["global"].is_object()) {
        fail_input(place, "has no object \"global\": a SigMF description is expected");
    }
    const json& global = tree["global"];
    Description out;
    if (!global.contains("core:datatype") || !global["core:datatype"].is_string()) {
        fail_input(place, "core:datatype is missing: write for example \"ci16_le\"");
    }
    out.type = global["core:datatype"].get<std::string>();
    if (out.type == "ci8_le") out.type = "ci8";
    out.rate = number_in(place, global, "core:sample_rate");
    out.reference = number_in(place, global, "tally:reference_level_dbm");
    out.volts = number_in(place, global, "tally:volts_per_unit");
    if (const auto channels = number_in(place, global, "core:num_channels")) {
        out.channels = static_cast<std::size_t>(std::max(1.0, *channels));
    }
    if (global.contains("core:sha512") && global["core:sha512"].is_string()) {
        out.sha512 = lower(global["core:sha512"].get<std::string>());
    }
    if (global.contains("tally:trouble") && global["tally:trouble"].is_string()) {
        out.trouble = global["tally:trouble"].get<std::string>();
    }
    if (!tree.contains("captures") || !tree["captures"].is_array()) return out;
    for (const auto& segment : tree["captures"]) {
        if (!segment.is_object()) continue;
        const auto centre = number_in(place, segment, "core:frequency");
        if (const auto level = number_in(place, segment, "tally:reference_level_dbm")) out.reference = level;
        if (number_in(place, segment, "core:header_bytes").value_or(0) > 0) {
            fail_input(place, "core:header_bytes: data files with headers are not read; take them out");
        }
        if (centre && out.centre && *centre != *out.centre) {
            fail_input(place, "holds parts at different frequencies, " + format({*out.centre, Unit::hertz}) +
                                  " and " + format({*centre, Unit::hertz}) + ": write each to its own file");
        }
        if (centre) out.centre = centre;
    }
    return out;
}

double required_rate(const std::string& place, std::optional<double> rate) {
    if (!rate) {
        fail_input(place, "states no sample rate (core:sample_rate): add it, or give it with --sample-rate");
    }
    if (!(*rate > 0) || !std::isfinite(*rate)) fail_input(place, "the sample rate must be above 0 Hz");
    return *rate;
}

Waveform real_record(const std::filesystem::path& data, const SampleType& type, double rate, double volts) {
    const std::string raw = read_file(data);
    if (raw.size() % type.bytes != 0 || raw.empty()) {
        fail_input(data.string(), std::to_string(raw.size()) + " bytes are no whole number of " + type.name +
                                      " samples of " + std::to_string(type.bytes) + " bytes");
    }
    Waveform out;
    out.step_s = 1 / rate;
    out.volts.resize(raw.size() / type.bytes);
    std::size_t at_rail = 0;
    for (std::size_t i = 0; i < out.volts.size(); ++i) {
        double value = 0;
        if (type.layout == Layout::f32) {
            float single = 0;
            std::memcpy(&single, raw.data() + i * 4, 4);
            value = static_cast<double>(single);
        } else {
            std::int16_t whole = 0;
            std::memcpy(&whole, raw.data() + i * 2, 2);
            value = whole;
            at_rail += whole == 32767 || whole == -32768;
        }
        if (!std::isfinite(value)) {
            fail_input(data.string(), "sample " + std::to_string(i) + " is not a finite number");
        }
        out.volts[i] = value * volts;
    }
    if (at_rail > 3) out.overload = clipped_text(at_rail);
    return out;
}

Capture open_samples(const std::filesystem::path& data, const Description& d, const std::string& place) {
    const SampleType& type = type_named(place, d.type);
    const double rate = required_rate(place, d.rate);
    if (d.channels != 1) {
        fail_input(place, "holds " + std::to_string(d.channels) +
                              " channels: write the one to be measured to its own file");
    }
    if (!type.complex) {
        Waveform wave = real_record(data, type, rate, d.volts.value_or(1));
        if (d.trouble) wave.overload = d.trouble;
        return wave;
    }
    IqRecord record;
    record.trouble = d.trouble;
    record.samples = std::make_shared<FileSamples>(data, type);
    record.sample_rate_hz = rate;
    record.centre_hz = d.centre.value_or(0);
    record.reference_level_dbm = d.reference;
    return record;
}

WrittenCapture write_described(const std::filesystem::path& stem, std::string_view data, json tree) {
    auto data_file = stem;
    WrittenCapture out{stem, {}};
    data_file += ".sigmf-data";
    out.file += ".sigmf-meta";
    write_file(data_file, data);
    tree["global"]["core:version"] = "1.0.0";
    tree["global"]["core:sha512"] = sha512(data);
    out.content = tree.dump(2) + "\n";
    write_file(out.file, out.content);
    return out;
}

}  // namespace

std::optional<double> agreed(const std::string& file, const char* what, std::optional<double> stated,
                             std::optional<double> hint, Unit unit) {
    if (stated && hint && std::abs(*stated - *hint) > 1e-9 * std::abs(*stated)) {
        fail_input(file, std::string("states the ") + what + " " + format({*stated, unit}) +
                             ", the option says " + format({*hint, unit}));
    }
    return stated ? stated : hint;
}

Capture read_sigmf(const std::filesystem::path& file, const CaptureHints& hints) {
    auto meta = file, data = file;
    meta.replace_extension(".sigmf-meta");
    data.replace_extension(".sigmf-data");
    if (!std::filesystem::exists(meta)) {
        fail_input(file.string(), "has no description " + meta.filename().string() + " beside it");
    }
    Description d = describe(meta);
    const std::string place = meta.string();
    if (!std::filesystem::exists(data)) {
        fail_input(place, "has no samples " + data.filename().string() + " beside it");
    }
    d.rate = agreed(place, "sample rate", d.rate, hints.sample_rate_hz, Unit::hertz);
    d.centre = agreed(place, "centre frequency", d.centre, hints.centre_hz, Unit::hertz);
    d.reference = agreed(place, "reference level", d.reference, hints.reference_level_dbm, Unit::dbm);
    d.volts = agreed(place, "volts per unit", d.volts, hints.volts_per_unit, Unit::volt);
    Capture capture = open_samples(data, d, place);
    if (!d.sha512.empty() && sha512_of(data) != d.sha512) {
        fail_input(data.string(), "was altered: its SHA-512 is not the core:sha512 of its description");
    }
    return capture;
}

Capture read_raw_samples(const std::filesystem::path& file, const CaptureHints& hints) {
    if (!std::filesystem::exists(file)) fail_input(file.string(), "no such file");
    Description d;
    d.type = hints.sample_type == "cf32" || hints.sample_type == "ci16" ? hints.sample_type + "_le"
                                                                        : hints.sample_type;
    d.rate = hints.sample_rate_hz;
    d.centre = hints.centre_hz;
    d.reference = hints.reference_level_dbm;
    d.volts = hints.volts_per_unit;
    return open_samples(file, d, file.string());
}

WrittenCapture write_sigmf(const std::filesystem::path& stem, const IqRecord& record) {
    const auto samples = record.read(0, record.size());
    json tree;
    tree["global"] = {{"core:datatype", "cf32_le"}, {"core:sample_rate", record.sample_rate_hz}};
    if (record.reference_level_dbm) tree["global"]["tally:reference_level_dbm"] = *record.reference_level_dbm;
    if (record.trouble) tree["global"]["tally:trouble"] = *record.trouble;
    tree["captures"] = json::array({{{"core:sample_start", 0}, {"core:frequency", record.centre_hz}}});
    tree["annotations"] = json::array();
    const auto* bytes = reinterpret_cast<const char*>(samples.data());
    return write_described(stem, {bytes, samples.size() * sizeof(Sample)}, std::move(tree));
}

WrittenCapture write_sigmf(const std::filesystem::path& stem, const Waveform& waveform) {
    json tree;
    tree["global"] = {{"core:datatype", "rf32_le"}, {"core:sample_rate", 1 / waveform.step_s}};
    if (waveform.overload) tree["global"]["tally:trouble"] = *waveform.overload;
    tree["captures"] = json::array({{{"core:sample_start", 0}}});
    tree["annotations"] = json::array();
    std::vector<float> values(waveform.volts.begin(), waveform.volts.end());
    const auto* bytes = reinterpret_cast<const char*>(values.data());
    return write_described(stem, {bytes, values.size() * sizeof(float)}, std::move(tree));
}

}  // namespace rt
