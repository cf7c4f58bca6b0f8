// Remote procedure calls (ONC RPC, RFC 5531) over TCP as bytes, and the numbers of VXI-11: for the simulated
// instruments and for the channel on which instruments call back.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace rt::lab::rpc {

// VXI-11, B.6: programs and procedures.
inline constexpr std::uint32_t core_program = 0x0607af, abort_program = 0x0607b0,
                               interrupt_program = 0x0607b1;
enum Procedure : std::uint32_t {
    device_abort = 1,
    create_link = 10,
    device_write = 11,
    device_read = 12,
    device_readstb = 13,
    device_trigger = 14,
    device_clear = 15,
    device_remote = 16,
    device_local = 17,
    device_lock = 18,
    device_unlock = 19,
    device_enable_srq = 20,
    device_docmd = 22,
    destroy_link = 23,
    create_intr_chan = 25,
    destroy_intr_chan = 26,
    device_intr_srq = 30,
};
// VXI-11, B.5.2.
enum Error : std::int32_t {
    no_error = 0,
    syntax_error = 1,
    not_accessible = 3,
    invalid_link = 4,
    parameter_error = 5,
    channel_not_established = 6,
    not_supported = 8,
    out_of_resources = 9,
    locked_by_another = 11,
    no_lock_held = 12,
    io_timeout = 15,
    io_error = 17,
    invalid_address = 21,
    aborted = 23,
    channel_established = 29,
};
// Flags, and reasons why a read has ended.
inline constexpr std::int32_t flag_wait_lock = 1, flag_end = 8, flag_term = 0x80;
inline constexpr std::int32_t reason_count = 1, reason_term = 2, reason_end = 4;

// RFC 4506.
inline void put(std::string& out, std::uint32_t value) {
    for (int shift = 24; shift >= 0; shift -= 8) out += static_cast<char>(value >> shift & 0xff);
}
inline void put_bytes(std::string& out, std::string_view bytes) {
    put(out, static_cast<std::uint32_t>(bytes.size()));
    out += bytes;
    out.append((4 - bytes.size() % 4) % 4, '\0');
}

// Reads one value after the other; ok() turns false, and everything 0, at the first that is not there.
class Reader {
  public:
    explicit Reader(std::string_view text) : text_(text) {}
    std::uint32_t number() {
        std::uint32_t out = 0;
        if (text_.size() < at_ + 4) ok_ = false;
        if (!ok_) return 0;
        for (int i = 0; i < 4; ++i) out = out << 8 | static_cast<unsigned char>(text_[at_++]);
        return out;
    }
    std::string bytes() {
        const std::size_t count = number(), padded = (count + 3) / 4 * 4;
        if (text_.size() - at_ < padded) ok_ = false;
        if (!ok_) return {};
        std::string out(text_.substr(at_, count));
        at_ += padded;
        return out;
    }
    bool ok() const { return ok_; }
    std::string_view rest() const { return ok_ ? text_.substr(at_) : std::string_view(); }

  private:
    std::string_view text_;
    std::size_t at_ = 0;
    bool ok_ = true;
};

// A call, taken out of its record.
struct Call {
    std::uint32_t id = 0, program = 0, version = 0, procedure = 0;
    std::string parameters;
};

// Nothing for what is no call.
inline std::optional<Call> parse_call(std::string_view record) {
    Reader in(record);
    Call out;
    out.id = in.number();
    const bool call = in.number() == 0, rpc = in.number() == 2;
    out.program = in.number(), out.version = in.number(), out.procedure = in.number();
    for (int i = 0; i < 2; ++i) in.number(), in.bytes();  // credentials, verifier
    if (!in.ok() || !call || !rpc) return std::nullopt;
    out.parameters = in.rest();
    return out;
}

// The head of a record of one fragment.
inline std::string as_record(const std::string& body) {
    std::string out;
    put(out, 0x80000000u | static_cast<std::uint32_t>(body.size()));
    return out + body;
}

// An accepted reply; `state` 0 is success, 1 unknown program, 3 unknown procedure, 4 garbage.
inline std::string reply(std::uint32_t id, std::uint32_t state, std::string_view results) {
    std::string body;
    for (const std::uint32_t word : {id, 1u, 0u, 0u, 0u, state}) put(body, word);
    body += results;
    return as_record(body);
}

}  // namespace rt::lab::rpc
