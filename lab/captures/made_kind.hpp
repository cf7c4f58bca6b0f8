// What kinds share that no instrument gives: they are written by people, or made of other captures.
#pragma once

#include "lab/captures/kind.hpp"

namespace rt::lab {

template <CaptureData Data>
class MadeKind : public KindOf<Data> {
    using Setup = typename Data::Setup;
    const char* instrument() const final { return ""; }
    Data ask(InstrumentRole&, const Setup&) const final {
        throw Error(ErrorKind::internal, "", std::string(Data::kind) + ": no instrument gives it");
    }
    double seconds_of(const Instrument&, const Setup&) const final { return 0; }
    std::optional<Band> band_of(const Setup&) const final { return std::nullopt; }
    std::optional<Unit> unit_of(const Setup&) const final { return std::nullopt; }
    void complete(Data&, std::optional<double>) const final {}
};

}  // namespace rt::lab
