// The two-wire management bus of a pluggable module.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "core/signal/registers.hpp"

namespace rt::lab {

// Device 0 answers at A0h (0x50 in seven bits), device 1 at A2h (0x51). Both throw Error(bench) when nobody
// acknowledges.
class ModuleBus {
  public:
    virtual ~ModuleBus() = default;
    virtual std::vector<std::uint8_t> read(int device, int first, std::size_t count) = 0;
    virtual void write(int device, int place, std::uint8_t value) = 0;
};

// A bus of Linux: "/dev/i2c-3". Throws Error(bench) for one that cannot be opened.
std::unique_ptr<ModuleBus> open_i2c_bus(const std::string& path);

// Registers that answer as a module would: bytes 127 (and 126) select what bytes 128 on show. What is not
// known is not acknowledged.
class RecordedModule : public ModuleBus {
  public:
    explicit RecordedModule(Registers registers) : registers_(std::move(registers)) {}
    std::vector<std::uint8_t> read(int device, int first, std::size_t count) override;
    void write(int device, int place, std::uint8_t value) override;
    Registers& registers() { return registers_; }

  private:
    Registers registers_;
    int page_ = 0;
};

// All pages that its form has: A0h and A2h of an SFP; lower memory, pages 00h and 03h of a QSFP; lower
// memory, 00h, 01h, 02h and 11h with CMIS. Its identification is read `times` times: what differs, and what
// nobody acknowledged once, is counted. Leaves page 00h selected.
Registers read_registers(ModuleBus& bus, std::size_t times);

}  // namespace rt::lab
