// What the connections of one simulated instrument share: the instrument, its faults, who has locked it.
#pragma once

#include <boost/asio/ip/tcp.hpp>
#include <boost/asio/read_until.hpp>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <utility>

#include "lab/simulate/fault_script.hpp"

namespace rt::lab {

// Who may use an instrument: nobody else beside an exclusive holder, or those with the same key.
class Locks {
  public:
    bool allows(unsigned session) const {
        return (exclusive_ == 0 || exclusive_ == session) && (sharing_.empty() || sharing_.contains(session));
    }
    bool take(unsigned session, const std::string& key) {
        if (!allows(session) && !(exclusive_ == 0 && !sharing_.empty() && key == key_)) return false;
        if (key.empty()) {
            exclusive_ = session;
        } else {
            key_ = key;
            sharing_.insert(session);
        }
        return true;
    }
    // False when it held none.
    bool release(unsigned session) {
        const bool held = exclusive_ == session || sharing_.contains(session);
        if (exclusive_ == session) exclusive_ = 0;
        sharing_.erase(session);
        return held;
    }
    bool exclusive() const { return exclusive_ != 0; }
    std::size_t holders() const { return sharing_.size() + exclusive(); }

  private:
    unsigned exclusive_ = 0;
    std::set<unsigned> sharing_;
    std::string key_;
};

// All clients of a server share its thread, so the instrument sees one message at a time.
struct Served {
    std::shared_ptr<SimulatedInstrument> instrument;
    FaultScript faults;
    Locks locks = {};
    unsigned sessions = 0;

    std::uint8_t status_byte() const;
    Reply reply(std::string message);
};

// How long the first message of a buffer is, its line feed included: a block in it (#18...) may hold any
// bytes. 0 when it has not come yet.
std::size_t message_length(std::string_view buffer);

// For reading up to there.
struct MessageEnd {
    template <class Place>
    std::pair<Place, bool> operator()(Place begin, Place end) const {
        const std::size_t length = message_length(std::string(begin, end));
        return {begin + static_cast<std::ptrdiff_t>(length), length != 0};
    }
};

// A client of each transport; it lives as long as its connection.
void serve_lines(boost::asio::ip::tcp::socket socket, std::shared_ptr<Served> served);
void serve_vxi11(boost::asio::ip::tcp::socket socket, std::shared_ptr<Served> served);
void serve_usb(boost::asio::ip::tcp::socket socket, std::shared_ptr<Served> served);
void serve_converter(boost::asio::ip::tcp::socket socket, std::shared_ptr<Served> served);

// The two channels of a HiSLIP client are told apart by their first message.
struct HislipChannels;
std::shared_ptr<HislipChannels> make_hislip_channels();
void serve_hislip(boost::asio::ip::tcp::socket socket, std::shared_ptr<Served> served,
                  std::shared_ptr<HislipChannels> channels, bool overlapped);

}  // namespace rt::lab

template <>
struct boost::asio::is_match_condition<rt::lab::MessageEnd> : std::true_type {};
