// An instrument on the GPIB behind a converter, in the words that the bench gives for it.
#pragma once

#include "lab/session/session.hpp"

namespace rt::lab {

class GpibSession : public Session {
  public:
    // Several sessions share the line to their converter; from a question to its answer it belongs to one of
    // them.
    GpibSession(const Address& address, std::chrono::milliseconds timeout);
    ~GpibSession() override;

    void write(std::string_view bytes) override;
    void clear() override;
    bool clears() const override;
    std::optional<int> status() override;
    bool answers(std::chrono::milliseconds timeout) override;
    void to_local() override;
    void trigger() override;

  protected:
    std::string read_some(std::chrono::milliseconds timeout, const char* doing) override;
    std::size_t read_into(char* place, std::size_t count, std::chrono::milliseconds timeout,
                          const char* doing) override;
    void answered() override;

  private:
    struct Line;
    std::string filled(const std::string& text) const;
    bool comes(std::chrono::milliseconds timeout);
    void take_line();
    void say(const std::string& text, const char* doing);

    std::shared_ptr<Line> line_;
    std::shared_ptr<const Converter> converter_;
    int number_;
    std::chrono::milliseconds timeout_;
    bool mine_ = false;
};

}  // namespace rt::lab
