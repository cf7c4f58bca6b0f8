#include "lab/formats/sigmf.hpp"

#include <fmt/core.h>

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cmath>
#include <cstring>
#include <nlohmann/json.hpp>

#include "core/base/error.hpp"
#include "core/base/hex.hpp"
#include "core/base/simd.hpp"
#include "core/base/text.hpp"
#include "core/base/widen.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
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

// The bytes of samples in a file.
class SampleFile {
  public:
    // `channels` values of `type` stand side by side.
    SampleFile(const std::filesystem::path& file, const SampleType& type, std::size_t channels = 1)
        : file_(file), frame_(type.bytes * channels), handle_(open(file.c_str(), O_RDONLY | O_CLOEXEC)) {
        if (handle_ < 0) fail_input(file.string(), std::string("cannot be read: ") + std::strerror(errno));
        const auto bytes = std::filesystem::file_size(file);
        if (bytes % frame_ != 0) {
            fail_input(file.string(), fmt::format("{} bytes are no whole number of {} samples of {} bytes: "
                                                  "the file is cut off or of another type",
                                                  bytes, type.name, frame_));
        }
        if (bytes == 0) fail_input(file.string(), "holds no samples");
        size_ = bytes / frame_;
    }
    ~SampleFile() { close(handle_); }
    SampleFile(const SampleFile&) = delete;
    SampleFile& operator=(const SampleFile&) = delete;

    std::uint64_t size() const { return size_; }
    std::size_t frame() const { return frame_; }  // bytes

    // `count` samples of all channels from `first` on.
    void read(std::uint64_t first, void* to, std::size_t count) const {
        auto* at = static_cast<char*>(to);
        std::uint64_t from = first * frame_;
        std::size_t bytes = count * frame_;
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

    [[noreturn]] void not_finite(std::uint64_t sample) const {
        fail_input(file_.string(), "sample " + std::to_string(sample) + " is not a finite number");
    }

  private:
    std::filesystem::path file_;
    std::size_t frame_;
    int handle_;
    std::uint64_t size_ = 0;
};

// Complex samples in a file, read piece by piece.
class FileSamples : public IqSamples {
  public:
    FileSamples(const std::filesystem::path& file, const SampleType& type)
        : IqSamples(type.rail, file.string(), type.layout != Layout::f32),
          file_(file, type),
          layout_(type.layout) {}

    std::uint64_t size() const override { return file_.size(); }

  protected:
    float fetch(std::uint64_t first, std::span<Sample> out) const override {
        auto* values = reinterpret_cast<float*>(out.data());
        if (layout_ == Layout::f32) {
            file_.read(first, out.data(), out.size());
            return largest_component(out);
        }
        thread_local std::vector<char> raw;
        raw.resize(out.size() * file_.frame());
        file_.read(first, raw.data(), out.size());
        if (layout_ == Layout::i16) {
            return widen(reinterpret_cast<const std::int16_t*>(raw.data()), values, 2 * out.size());
        }
        return widen(reinterpret_cast<const std::int8_t*>(raw.data()), values, 2 * out.size());
    }

  private:
    SampleFile file_;
    Layout layout_;
};

// Values as volts; true if one of them stands at an end of the range.
RT_SIMD bool to_volts(const std::int16_t* values, float* out, std::size_t count, float volts) {
    std::int16_t low = 0, high = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const std::int16_t value = values[i];
        low = value < low ? value : low;
        high = value > high ? value : high;
        out[i] = static_cast<float>(value) * volts;
    }
    return low == -32768 || high == 32767;
}

// One channel of real samples in a file, in volts.
class FileWave : public WaveSamples {
  public:
    FileWave(std::shared_ptr<const SampleFile> file, Layout layout, std::size_t channel, std::size_t channels,
             double volts)
        : file_(std::move(file)),
          layout_(layout),
          channel_(channel),
          channels_(channels),
          volts_(static_cast<float>(volts)) {}

    std::uint64_t size() const override { return file_->size(); }
    bool clipped() const override { return rail_.clipped(); }

    void read(std::uint64_t first, std::span<float> out) const override {
        if (layout_ == Layout::f32 && channels_ == 1) {
            file_->read(first, out.data(), out.size());
            if (scale_finite(out.data(), out.size(), volts_)) return;
            // Which one it was is seen before the factor.
            file_->read(first, out.data(), out.size());
            file_->not_finite(first + first_no_number(out.data(), out.size()).value_or(0));
        }
        thread_local std::vector<char> raw;
        raw.resize(out.size() * file_->frame());
        file_->read(first, raw.data(), out.size());
        if (layout_ == Layout::f32) {
            const auto* values = reinterpret_cast<const float*>(raw.data()) + channel_;
            for (std::size_t i = 0; i < out.size(); ++i) {
                if (first_no_number(values + i * channels_, 1)) file_->not_finite(first + i);
                out[i] = values[i * channels_] * volts_;
            }
            return;
        }
        const auto* values = reinterpret_cast<const std::int16_t*>(raw.data()) + channel_;
        if (channels_ == 1 && !to_volts(values, out.data(), out.size(), volts_)) return;
        for (std::size_t i = 0; i < out.size(); ++i) {
            const std::int16_t value = values[i * channels_];
            out[i] = static_cast<float>(value) * volts_;
            if (value == 32767 || value == -32768) rail_.note(first + i);
        }
    }

  private:
    std::shared_ptr<const SampleFile> file_;
    Layout layout_;
    std::size_t channel_, channels_;
    float volts_;
    mutable RailWatch rail_;
};

struct Description {
    std::string type;
    std::optional<double> rate, centre, reference, volts, path_db, path_ratio;
    std::vector<std::pair<double, double>> path_tilt;
    std::string sha512;
    std::optional<std::string> distrust;
    std::size_t channels = 1;
    bool unscaled = false;
};

std::optional<double> number_in(const std::string& place, const json& from, const char* key) {
    if (!from.contains(key)) return std::nullopt;
    if (!from[key].is_number()) fail_input(place, std::string(key) + " is not a number");
    const double value = from[key].get<double>();
    if (!is_number(value)) fail_input(place, std::string(key) + " is not a number");
    return value;
}

constexpr int most_channels = 4096;

// [[1e9, 0.1], ...]: what the path takes at frequencies more than at the centre.
std::vector<std::pair<double, double>> tilt_in(const std::string& place, const json& global) {
    std::vector<std::pair<double, double>> out;
    constexpr const char* key = "tally:path_tilt_db";
    if (!global.contains(key)) return out;
    const auto fail = [&] {
        fail_input(place, std::string(key) + ": pairs of frequency and dB are expected");
    };
    if (!global[key].is_array()) fail();
    for (const auto& pair : global[key]) {
        if (!pair.is_array() || pair.size() != 2 || !pair[0].is_number() || !pair[1].is_number()) fail();
        out.emplace_back(pair[0].get<double>(), pair[1].get<double>());
        if (out.size() > 1 && !(out.back().first > out[out.size() - 2].first)) fail();
    }
    return out;
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
    out.path_db = number_in(place, global, "tally:path_db");
    out.path_ratio = number_in(place, global, "tally:path_ratio");
    out.path_tilt = tilt_in(place, global);
    out.unscaled = global.contains("tally:unscaled") && global["tally:unscaled"] == true;
    if (const auto channels = number_in(place, global, "core:num_channels")) {
        if (*channels < 1 || *channels > most_channels || *channels != std::floor(*channels)) {
            fail_input(place, "core:num_channels is " + exact(*channels) +
                                  ": write a whole number from 1 to " + std::to_string(most_channels));
        }
        out.channels = static_cast<std::size_t>(*channels);
    }
    if (global.contains("core:sha512") && global["core:sha512"].is_string()) {
        out.sha512 = lower(global["core:sha512"].get<std::string>());
    }
    for (const char* key : {"tally:distrust", "tally:trouble"}) {  // the second as older runs have it
        if (global.contains(key) && global[key].is_string()) out.distrust = global[key].get<std::string>();
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

Waveform real_record(const std::filesystem::path& data, const SampleType& type, const Description& d,
                     double rate) {
    const auto file = std::make_shared<SampleFile>(data, type, d.channels);
    Waveform out;
    out.step_s = 1 / rate;
    out.distrust = d.distrust;
    // Floating-point values are taken as volts where nothing is said; integers count in steps of a converter.
    out.scaled = d.volts.has_value() || (type.layout == Layout::f32 && !d.unscaled);
    out.path_ratio = d.path_ratio;
    for (std::size_t k = 0; k < d.channels; ++k) {
        out.channels.push_back(
            std::make_shared<FileWave>(file, type.layout, k, d.channels, d.volts.value_or(1)));
    }
    return out;
}

Capture open_samples(const std::filesystem::path& data, const Description& d, const std::string& place) {
    const SampleType& type = type_named(place, d.type);
    const double rate = required_rate(place, d.rate);
    if (!type.complex) return real_record(data, type, d, rate);
    if (d.channels != 1) {
        fail_input(place, "holds " + std::to_string(d.channels) +
                              " channels of complex samples: write the one to be measured to its own file");
    }
    IqRecord record;
    record.distrust = d.distrust;
    record.samples = std::make_shared<FileSamples>(data, type);
    record.sample_rate_hz = rate;
    record.centre_hz = d.centre.value_or(0);
    record.reference_level_dbm = d.reference;
    record.path_db = d.path_db;
    record.path_tilt = d.path_tilt;
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
    if (!d.sha512.empty() && sha512_of_file(data) != d.sha512) {
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
    if (record.distrust) tree["global"]["tally:distrust"] = *record.distrust;
    if (record.path_db) tree["global"]["tally:path_db"] = *record.path_db;
    if (!record.path_tilt.empty()) tree["global"]["tally:path_tilt_db"] = record.path_tilt;
    tree["captures"] = json::array({{{"core:sample_start", 0}, {"core:frequency", record.centre_hz}}});
    tree["annotations"] = json::array();
    const auto* bytes = reinterpret_cast<const char*>(samples.data());
    return write_described(stem, {bytes, samples.size() * sizeof(Sample)}, std::move(tree));
}

WrittenCapture write_sigmf(const std::filesystem::path& stem, const Waveform& waveform) {
    json tree;
    tree["global"] = {{"core:datatype", "rf32_le"}, {"core:sample_rate", 1 / waveform.step_s}};
    if (waveform.scaled) {
        tree["global"]["tally:volts_per_unit"] = 1;
    } else {
        tree["global"]["tally:unscaled"] = true;
    }
    if (waveform.path_ratio) tree["global"]["tally:path_ratio"] = *waveform.path_ratio;
    if (waveform.distrust) tree["global"]["tally:distrust"] = *waveform.distrust;
    tree["captures"] = json::array({{{"core:sample_start", 0}}});
    tree["annotations"] = json::array();
    const std::size_t channels = waveform.channels.size(), count = static_cast<std::size_t>(waveform.size());
    if (channels > 1) tree["global"]["core:num_channels"] = channels;
    std::vector<float> values(channels * count), one(count);
    for (std::size_t k = 0; k < channels; ++k) {
        waveform.channels[k]->read(0, one);
        for (std::size_t i = 0; i < count; ++i) values[i * channels + k] = one[i];
    }
    const auto* bytes = reinterpret_cast<const char*>(values.data());
    return write_described(stem, {bytes, values.size() * sizeof(float)}, std::move(tree));
}

}  // namespace rt::lab
