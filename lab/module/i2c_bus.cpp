#include <fcntl.h>
#include <fmt/core.h>
#include <linux/i2c-dev.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "core/base/error.hpp"
#include "lab/module/bus.hpp"

extern "C" {
#include <i2c/smbus.h>
}

namespace rt::lab {
namespace {

class I2cBus : public ModuleBus {
  public:
    explicit I2cBus(const std::string& path) : path_(path), file_(::open(path.c_str(), O_RDWR | O_CLOEXEC)) {
        if (file_ < 0) fail_bench(path_ + ": cannot be opened: " + std::strerror(errno));
    }
    ~I2cBus() override { ::close(file_); }
    I2cBus(const I2cBus&) = delete;
    I2cBus& operator=(const I2cBus&) = delete;

    std::vector<std::uint8_t> read(int device, int first, std::size_t count) override {
        select(device);
        std::vector<std::uint8_t> out;
        while (out.size() < count) {
            // The kernel passes on 32 bytes at a time.
            const auto part = static_cast<std::uint8_t>(std::min<std::size_t>(32, count - out.size()));
            std::uint8_t block[32];
            const auto place = static_cast<std::uint8_t>(static_cast<std::size_t>(first) + out.size());
            const int got = ::i2c_smbus_read_i2c_block_data(file_, place, part, block);
            if (got != part)
                fail_bench(fmt::format("{}: {}, byte {}: {}", path_, device == 0 ? "A0h" : "A2h", place,
                                       got < 0 ? std::strerror(-got) : "too few bytes"));
            out.insert(out.end(), block, block + part);
        }
        return out;
    }
    void write(int device, int place, std::uint8_t value) override {
        select(device);
        const int done = ::i2c_smbus_write_byte_data(file_, static_cast<std::uint8_t>(place), value);
        if (done < 0)
            fail_bench(fmt::format("{}: byte {} was not taken: {}", path_, place, std::strerror(-done)));
    }

  private:
    void select(int device) {
        constexpr int first_address = 0x50;
        if (::ioctl(file_, I2C_SLAVE, static_cast<long>(first_address + device)) < 0)
            fail_bench(fmt::format("{}: address {:#04x} cannot be used: {}", path_, first_address + device,
                                   std::strerror(errno)));
    }
    std::string path_;
    int file_;
};

}  // namespace

std::unique_ptr<ModuleBus> open_i2c_bus(const std::string& path) {
    return std::make_unique<I2cBus>(path);
}

}  // namespace rt::lab
