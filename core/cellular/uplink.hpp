// Resource grids of the physical uplink shared channels of LTE and NR: where symbols stand in time, which
// elements are reference signals, and what these are.
#pragma once

#include <array>
#include <complex>
#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include "core/cellular/constellation.hpp"

namespace rt::cellular {

enum class Technology { lte, nr };

// What a unit in a test mode sends, as it was told to.
struct UplinkFormat {
    Technology technology = Technology::lte;
    double spacing_hz = 15e3;
    std::size_t carrier_blocks = 0;           // of the channel
    std::size_t first_block = 0, blocks = 0;  // allocated
    Modulation modulation = Modulation::qpsk;
    bool precoded = true;   // DFT-s-OFDM
    unsigned identity = 0;  // physical cell, or of the scrambling of reference signals
    // LTE
    unsigned cyclic_shift = 0;     // n_DMRS(1) + n_DMRS(2)
    unsigned shift_of_groups = 0;  // delta_ss
    // NR: mapping type A, reference signals of type 1 in single symbols.
    std::vector<std::size_t> reference_symbols = {2};
    unsigned port = 0, scrambling = 0;
    unsigned groups_without_data = 2;
    std::size_t grid_start = 0;  // of the carrier, in blocks from common resource block 0

    bool lte() const { return technology == Technology::lte; }
    std::size_t subcarriers() const { return 12 * carrier_blocks; }
    std::size_t allocated() const { return 12 * blocks; }
    std::size_t first_subcarrier() const { return 12 * first_block; }
    std::size_t symbols() const { return lte() ? 7 : 14; }  // of a slot
    std::size_t slots_per_subframe() const;
    std::size_t slots_per_frame() const { return 10 * slots_per_subframe(); }
    double useful_s() const { return 1 / spacing_hz; }
    // Of subcarrier k of the carrier from the carrier frequency.
    double subcarrier_hz(std::size_t k) const;
    double occupied_hz() const { return static_cast<double>(subcarriers()) * spacing_hz; }

    struct Place {
        double start_s, prefix_s;  // from the start of the slot; of its cyclic prefix
    };
    Place symbol(std::size_t slot, std::size_t number) const;
    double slot_s() const { return 1e-3 / static_cast<double>(slots_per_subframe()); }
    // Of the slot within its subframe.
    double slot_start_s(std::size_t slot) const {
        return static_cast<double>(slot % slots_per_subframe()) * slot_s();
    }
    bool is_reference(std::size_t number) const;
    // Amplitude of reference elements over the mean one of data.
    double reference_gain() const;
    // Elements of the allocation in a reference symbol, 0 where there is none. `number` is one of those.
    std::vector<std::complex<double>> reference(std::size_t slot, std::size_t number) const;
    // Whether an element of the allocation carries data.
    bool is_data(std::size_t number, std::size_t element) const;

    // As many blocks from first_block on as the channel has and can be sent.
    std::size_t most_blocks() const;

    // Throws Error(input) for what the tool cannot make or measure, naming the parameter.
    void require_possible() const;
    std::string text() const;  // "LTE, 50 blocks of 15 kHz, blocks 0 to 49, qpsk"
};

// The base sequence of `length` elements (TS 36.211 clause 5.5.1, TS 38.211 clause 5.2.2): 30, or 36 and
// more.
std::vector<std::complex<double>> base_sequence(unsigned group, unsigned number, std::size_t length);
bool has_base_sequence(std::size_t length);

// Cyclic shift of LTE's reference signals in a slot, 0 to 11 twelfths of a turn (TS 36.211 clause 5.5.2.1.1).
unsigned lte_cyclic_shift(const UplinkFormat& format, std::size_t slot);

// Blocks of a channel; nothing where the bandwidth has none at this spacing.
std::optional<std::size_t> blocks_of(Technology technology, double bandwidth_hz, double spacing_hz);

// Whether blocks can be precoded: products of 2, 3 and 5.
bool can_be_precoded(std::size_t blocks);

}  // namespace rt::cellular
