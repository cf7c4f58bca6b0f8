// Every exchange with the instruments, one line each: time, role, direction, text.
#pragma once

#include <cstdio>
#include <filesystem>
#include <memory>
#include <string>
#include <string_view>

namespace rt::lab {

class TrafficLog {
  public:
    // Appends to the file. Throws Error(input) when it cannot be opened.
    explicit TrafficLog(const std::filesystem::path& file);

    void sent(const std::string& role, std::string_view text) { line(role, '>', text); }
    void received(const std::string& role, std::string_view text) { line(role, '<', text); }

  private:
    void line(const std::string& role, char direction, std::string_view text);

    struct Close {
        void operator()(std::FILE* file) const { std::fclose(file); }
    };
    std::unique_ptr<std::FILE, Close> file_;
};

}  // namespace rt::lab
