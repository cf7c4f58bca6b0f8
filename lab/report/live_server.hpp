// The live page of a run for a phone nearby: served only on request, only to who knows the link.
#pragma once

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

namespace rt::lab {

class LiveServer {
  public:
    // `place`: "192.0.2.4:8080", "[::1]:0"; port 0 takes a free one. `page`: the file, read anew for each
    // request. Throws Error(input) for what is no address and port, Error(output) where nobody can listen
    // there.
    LiveServer(const std::string& place, std::filesystem::path page);
    ~LiveServer();
    LiveServer(const LiveServer&) = delete;
    LiveServer& operator=(const LiveServer&) = delete;

    // "http://192.0.2.4:8080/5f3a...": 128 random bits make the last part. Of an address that stands for all
    // of this machine's one link each.
    std::vector<std::string> links() const;

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace rt::lab
