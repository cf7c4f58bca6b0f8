#include "lab/session/gpib_session.hpp"

#include <map>
#include <mutex>
#include <utility>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {

using std::chrono::milliseconds;

// The line to one converter, and whom it speaks to.
struct GpibSession::Line {
    std::unique_ptr<Session> session;
    std::timed_mutex busy;
    int selected = -1;

    void begin(const Converter& converter, milliseconds timeout) {
        session = open_session(converter.line, timeout);
        for (const auto& text : converter.setup) session->write(text + "\n");
        selected = -1;
    }

    // The one that is open, or a new one.
    static std::shared_ptr<Line> to(const Converter& converter, milliseconds timeout) {
        static std::mutex guard;
        static std::map<std::string, std::weak_ptr<Line>> open;
        const std::lock_guard lock(guard);
        auto& known = open[converter.line.text];
        if (auto there = known.lock()) return there;
        auto made = std::make_shared<Line>();
        made->begin(converter, timeout);
        known = made;
        return made;
    }
};

GpibSession::GpibSession(const Address& address, milliseconds timeout)
    : Session("instrument at " + address.text),
      converter_(address.converter),
      number_(address.number),
      timeout_(timeout) {
    if (!converter_)
        fail_input("the address " + in_quotes(address.text) + " names a converter that the bench lacks");
    line_ = Line::to(*converter_, timeout);
}

GpibSession::~GpibSession() {
    if (mine_) line_->busy.unlock();
}

std::string GpibSession::filled(const std::string& text) const {
    std::string out = text;
    constexpr std::string_view hole = "{address}";
    for (std::size_t at = 0; (at = out.find(hole, at)) != std::string::npos;)
        out.replace(at, hole.size(), std::to_string(number_));
    return out;
}

void GpibSession::take_line() {
    if (!mine_ && !line_->busy.try_lock_for(timeout_))
        fail_bench(peer() + ": its converter is kept busy by another instrument");
    mine_ = true;
    if (line_->selected == number_ || converter_->select.empty()) return;
    line_->session->write(filled(converter_->select) + "\n");
    line_->selected = number_;
}

void GpibSession::answered() {
    if (std::exchange(mine_, false)) line_->busy.unlock();
}

void GpibSession::write(std::string_view bytes) {
    forget();
    try {
        take_line();
        line_->session->write(bytes);
        if (bytes.find('?') == std::string_view::npos) return answered();
        if (!converter_->read.empty()) line_->session->write(filled(converter_->read) + "\n");
    } catch (const Error&) {
        answered();
        throw;
    }
}

// What the line reads is this session's: nobody else speaks meanwhile.
bool GpibSession::comes(milliseconds timeout) {
    if (line_->session->answers(timeout)) return true;
    // An answer that comes later would be the next one's: the line begins anew.
    line_->begin(*converter_, timeout_);
    answered();
    return false;
}

std::string GpibSession::read_some(milliseconds timeout, const char*) {
    return comes(timeout) ? line_->session->take_what_came(timeout) : "";
}

std::size_t GpibSession::read_into(char* place, std::size_t count, milliseconds timeout, const char*) {
    return comes(timeout) ? line_->session->take_what_came(place, count, timeout) : 0;
}

bool GpibSession::answers(milliseconds timeout) {
    return has_kept() || line_->session->answers(timeout);
}

bool GpibSession::clears() const {
    return !converter_->clear.empty();
}

void GpibSession::say(const std::string& text, const char* doing) {
    if (text.empty())
        fail_bench(peer() + ": the converter " + converter_->name + " has no text for " + doing);
    take_line();
    line_->session->write(filled(text) + "\n");
    answered();
}

void GpibSession::clear() {
    forget();
    if (converter_->clear.empty()) return;
    // What is under way on the line goes with it.
    take_line();
    line_->begin(*converter_, timeout_);
    say(converter_->clear, "clearing it");
}

void GpibSession::trigger() {
    say(converter_->trigger, "triggering it");
}

void GpibSession::to_local() {
    if (!converter_->local.empty()) say(converter_->local, "giving the panel back");
}

std::optional<int> GpibSession::status() {
    if (converter_->poll.empty()) return std::nullopt;
    take_line();
    line_->session->write(filled(converter_->poll) + "\n");
    const std::string answer = line_->session->read_until('\n', timeout_);
    answered();
    const auto value = to_double(trim(answer));
    if (!value || *value < 0 || *value > 255)
        fail_bench(peer() + ": its converter answers " + in_quotes(answer) + ", a status byte was expected");
    return static_cast<int>(*value);
}

}  // namespace rt::lab
