// What is known of a slot's elements: reference signals, what a line at the carrier and an image come to, the
// points of the modulation.
#pragma once

#include <optional>
#include <vector>

#include "core/measure/cellular/grid.hpp"

namespace rt::cellular {

// By how much NR turns a symbol for a carrier (TS 38.211 clause 5.4); 1 for LTE and without up-conversion.
Complex turn_of(const UplinkFormat& format, std::size_t slot, std::size_t symbol, double up_converted_hz);

// All symbols of a slot with transforms that begin at each of these times before their useful parts (the
// earliest first, whole samples apart), turned back where they were turned.
std::vector<Rows> read_rows(const GridReader& reader, const UplinkFormat& format, const SlotPlace& place,
                            std::size_t slot, double up_converted_hz, const std::vector<double>& backs_s);

class Equaliser {
  public:
    Equaliser(const GridReader& reader, const UplinkFormat& format, std::size_t slot, double up_converted_hz,
              double back_s);

    // The same for transforms that begin at another time.
    Equaliser moved(const GridReader& reader, double back_s) const;

    // Elements are counted within the allocation, rows have all subcarriers of the channel.
    bool is_void(std::size_t symbol, std::size_t element) const {
        return !format_.is_data(symbol, element) && references_[symbol][element] == 0.0;
    }
    // The carrier frequency falls on a subcarrier (NR), on this one.
    bool at_carrier(std::size_t element) const { return carrier_element_ == element; }
    bool carrier_is_allocated() const { return carrier_element_.has_value(); }
    Complex carrier_at(std::size_t symbol, std::size_t element) const {
        return line_[format_.first_subcarrier() + element] * turned_back_[symbol];
    }
    // What an image of amplitude 1 puts there.
    Complex image_at(std::size_t symbol, std::size_t element, const Rows& wanted,
                     std::span<const Complex> gains) const {
        return image_on(symbol, format_.first_subcarrier() + element, wanted, gains);
    }

    // Gains of the allocation by its reference signals, smoothed over neighbours.
    std::vector<Complex> by_reference(const Rows& rows) const {
        return by_reference(rows, 0, format_.symbols() - 1, 0);
    }
    // By those of some symbols, without what stands at the carrier.
    std::vector<Complex> by_reference(const Rows& rows, std::size_t first, std::size_t last,
                                      Complex carrier) const;
    // Their delay, in seconds.
    double delay_of(std::span<const Complex> gains) const;
    // What stands at the carrier, by reference signals alone.
    Complex carrier_by_reference(const Rows& rows, std::size_t first, std::size_t last) const;
    // By all elements, wherever the model leaves something.
    Complex carrier_of(const Rows& rows, const Rows& wanted, std::span<const Complex> gains,
                       Complex image) const;
    Complex image_of(const Rows& rows, const Rows& wanted, std::span<const Complex> gains,
                     Complex carrier) const;

    // Elements of a symbol as they should be, given as they are after equalising: references as known, data
    // by the nearest points.
    std::vector<Complex> wanted(std::span<const Complex> symbol, std::size_t number) const;
    // Data of a symbol as points: before precoding.
    std::vector<Complex> points(std::span<const Complex> symbol, std::size_t number) const;

  private:
    // Of some elements only.
    std::vector<Complex> by_reference(const Rows& rows, std::size_t first, std::size_t last, Complex carrier,
                                      std::size_t wanted_from, std::size_t wanted_to) const;
    Complex image_on(std::size_t symbol, std::size_t subcarrier, const Rows& wanted,
                     std::span<const Complex> gains) const;
    Complex modelled(std::size_t symbol, std::size_t subcarrier, const Rows& wanted,
                     std::span<const Complex> gains) const;

    const UplinkFormat& format_;
    Rows references_;  // of the allocation, empty in other symbols
    std::vector<Complex> line_, turned_back_;
    std::optional<std::size_t> carrier_element_;
    std::size_t near_first_ = 0, near_last_ = 0;  // subcarriers that a line at the carrier reaches
};

}  // namespace rt::cellular
