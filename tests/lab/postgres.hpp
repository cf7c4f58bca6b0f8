// A PostgreSQL server of the tests' own, from Debian's package: data in a temporary folder, reached over
// loopback, ended with the test.
#pragma once

#include <doctest/doctest.h>
#include <netinet/in.h>
#include <sys/socket.h>
#include <unistd.h>

#include <cstdlib>
#include <filesystem>
#include <string>

class PostgresServer {
  public:
    PostgresServer() : folder_("/tmp/rare-tally-postgres-" + std::to_string(::getpid())), port_(free_port()) {
        std::filesystem::path bin;
        if (std::filesystem::exists("/usr/lib/postgresql")) {
            for (const auto& version : std::filesystem::directory_iterator("/usr/lib/postgresql"))
                bin = version.path() / "bin";
        }
        REQUIRE_MESSAGE(std::filesystem::exists(bin / "initdb"),
                        "the package postgresql is missing: run scripts/setup");
        control_ = (bin / "pg_ctl").string();
        std::filesystem::create_directories(folder_);
        // PostgreSQL does not run as root.
        if (::geteuid() == 0) sh("chown postgres " + folder_);
        const std::string data = folder_ + "/data";
        REQUIRE(as_server((bin / "initdb").string() + " -D " + data + " -A trust -U lab --no-sync") == 0);
        REQUIRE(as_server(control_ + " -D " + data + " -l " + folder_ + "/log -w -t 120 -o \"-p " +
                          std::to_string(port_) +
                          " -c listen_addresses=127.0.0.1 -c fsync=off -c unix_socket_directories=" +
                          folder_ + "\" start") == 0);
    }
    ~PostgresServer() {
        as_server(control_ + " -D " + folder_ + "/data -m immediate stop");
        std::error_code ignored;
        std::filesystem::remove_all(folder_, ignored);
    }
    PostgresServer(const PostgresServer&) = delete;
    PostgresServer& operator=(const PostgresServer&) = delete;

    std::string address() const {
        return "postgresql://lab@127.0.0.1:" + std::to_string(port_) + "/postgres";
    }

  private:
    static int sh(const std::string& command) { return std::system(command.c_str()); }
    int as_server(const std::string& command) const {
        const std::string quiet = "cd " + folder_ + " && " + command + " >>" + folder_ + "/said 2>&1";
        return sh(::geteuid() == 0 ? "su postgres -s /bin/sh -c '" + quiet + "'" : quiet);
    }
    static int free_port() {
        const int handle = ::socket(AF_INET, SOCK_STREAM, 0);
        sockaddr_in place{};
        place.sin_family = AF_INET;
        place.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
        socklen_t size = sizeof place;
        const bool found = ::bind(handle, reinterpret_cast<sockaddr*>(&place), size) == 0 &&
                           ::getsockname(handle, reinterpret_cast<sockaddr*>(&place), &size) == 0;
        ::close(handle);
        REQUIRE(found);
        return ntohs(place.sin_port);
    }

    std::string folder_, control_;
    int port_;
};
