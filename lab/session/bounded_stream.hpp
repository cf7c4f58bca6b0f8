// Byte streams of Boost.Asio with a bound on every wait.
#pragma once

#include <array>
#include <boost/asio/buffer.hpp>
#include <boost/asio/error.hpp>
#include <boost/asio/io_context.hpp>
#include <boost/asio/write.hpp>
#include <chrono>
#include <string>
#include <string_view>

#include "core/base/error.hpp"

namespace rt::lab {

enum class Waited { done, timed_out, closed };

// A socket or serial port with its own context.
template <class Stream>
struct BoundedStream {
    boost::asio::io_context io;
    Stream stream{io};
    std::chrono::milliseconds timeout{};  // of sending
    std::array<char, 65536> chunk;

    // Runs what was started until it is done. On a time-out the stream is closed, which ends it. Throws
    // Error(bench) for other trouble.
    Waited finish(std::chrono::milliseconds most, const boost::system::error_code& error,
                  const std::string& peer, const char* doing) {
        io.restart();
        io.run_for(most);
        if (!io.stopped()) {
            boost::system::error_code ignored;
            stream.close(ignored);
            io.run();
            return Waited::timed_out;
        }
        if (!error) return Waited::done;
        if (error == boost::asio::error::eof) return Waited::closed;
        fail_bench(peer + ": " + error.message() + " (" + doing + ")");
    }

    Waited write(std::string_view bytes, const std::string& peer) {
        boost::system::error_code error;
        boost::asio::async_write(stream, boost::asio::buffer(bytes),
                                 [&](const auto& e, std::size_t) { error = e; });
        return finish(timeout, error, peer, "sending");
    }

    // What has come goes into `out`.
    Waited read(std::string& out, std::chrono::milliseconds most, const std::string& peer,
                const char* doing) {
        boost::system::error_code error;
        std::size_t length = 0;
        stream.async_read_some(boost::asio::buffer(chunk),
                               [&](const auto& e, std::size_t n) { error = e, length = n; });
        const Waited waited = finish(most, error, peer, doing);
        if (waited == Waited::done) out.assign(chunk.data(), length);
        return waited;
    }
};

}  // namespace rt::lab
