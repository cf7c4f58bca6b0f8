// Asynchronous operations of Boost.Asio with a bound on their time.
#pragma once

#include <boost/asio/error.hpp>
#include <boost/asio/io_context.hpp>
#include <chrono>
#include <string>

#include "core/base/error.hpp"

namespace rt {

enum class Waited { done, timed_out, closed };

// Runs what was started on `io` until it is done. On a time-out `stream` is closed, which ends it.
template <class Stream>
Waited wait_for(boost::asio::io_context& io, Stream& stream, std::chrono::milliseconds timeout,
                const boost::system::error_code& error, const std::string& peer, const char* doing) {
    io.restart();
    io.run_for(timeout);
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

}  // namespace rt
