// Messages of HiSLIP (IVI-6.1, revisions 1.1 and 2.0), shared by the client and the simulated instruments.
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <string_view>

namespace rt::hislip {

// IVI-6.1, table 4.
enum class Type : std::uint8_t {
    initialize = 0,
    initialize_response = 1,
    fatal_error = 2,
    error = 3,
    async_lock = 4,
    async_lock_response = 5,
    data = 6,
    data_end = 7,
    device_clear_complete = 8,
    device_clear_acknowledge = 9,
    async_remote_local_control = 10,
    async_remote_local_response = 11,
    trigger = 12,
    interrupted = 13,
    async_interrupted = 14,
    async_maximum_message_size = 15,
    async_maximum_message_size_response = 16,
    async_initialize = 17,
    async_initialize_response = 18,
    async_device_clear = 19,
    async_service_request = 20,
    async_status_query = 21,
    async_status_response = 22,
    async_device_clear_acknowledge = 23,
    async_lock_info = 24,
    async_lock_info_response = 25,
};

inline constexpr std::size_t header_size = 16;
inline constexpr std::uint32_t first_message_id = 0xffffff00;
inline constexpr std::uint32_t protocol_version = 0x0200;  // the lower of the two sides counts
// Of InitializeResponse (control code; the second since 2.0) and of a device clear.
inline constexpr std::uint8_t overlapped = 1, encryption_mandatory = 2;
// Of AsyncRemoteLocalControl (IVI-6.1, table 16): to local without a change of remote enable.
inline constexpr std::uint8_t go_to_local = 6;
// Of AsyncLock and its response.
inline constexpr std::uint8_t lock_release = 0, lock_request = 1;

struct Header {
    Type type = Type::data_end;
    std::uint8_t control = 0;
    std::uint32_t parameter = 0;
    std::uint64_t length = 0;  // of the payload
};

inline void put(std::string& out, std::uint64_t value, int bytes) {
    for (int i = bytes - 1; i >= 0; --i) out += static_cast<char>(value >> (8 * i) & 0xff);
}

inline std::uint64_t take(std::string_view text, std::size_t at, int bytes) {
    std::uint64_t value = 0;
    for (int i = 0; i < bytes; ++i)
        value = value << 8 | static_cast<unsigned char>(text[at + static_cast<std::size_t>(i)]);
    return value;
}

inline std::string head(Type type, std::uint8_t control, std::uint32_t parameter, std::size_t payload) {
    std::string out = "HS";
    put(out, static_cast<std::uint8_t>(type), 1);
    put(out, control, 1);
    put(out, parameter, 4);
    put(out, payload, 8);
    return out;
}

inline std::string message(Type type, std::uint8_t control, std::uint32_t parameter,
                           std::string_view payload = {}) {
    return head(type, control, parameter, payload.size()).append(payload);
}

// False when the sixteen bytes are no header.
inline bool parse(std::string_view bytes, Header& header) {
    if (bytes.size() < header_size || !bytes.starts_with("HS")) return false;
    header = {static_cast<Type>(bytes[2]), static_cast<std::uint8_t>(bytes[3]),
              static_cast<std::uint32_t>(take(bytes, 4, 4)), take(bytes, 8, 8)};
    return true;
}

}  // namespace rt::hislip
