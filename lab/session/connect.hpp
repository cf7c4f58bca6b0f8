// A connected TCP socket as a file descriptor, with a bound on the wait.
#pragma once

#include <chrono>
#include <string>

namespace rt::lab {

// Throws Error(bench) naming `peer`: an unknown host, nobody there, nobody within `timeout`.
int connect_tcp(const std::string& host, const std::string& port, std::chrono::milliseconds timeout,
                const std::string& peer);

// Closes a file descriptor at the end of its scope.
class OpenFile {
  public:
    explicit OpenFile(int file = -1) : file_(file) {}
    ~OpenFile();
    OpenFile(OpenFile&& other) noexcept : file_(other.release()) {}
    OpenFile& operator=(OpenFile&& other) noexcept;
    int get() const { return file_; }
    int release();
    explicit operator bool() const { return file_ >= 0; }

  private:
    int file_;
};

}  // namespace rt::lab
