// The text of the error that a call must throw.
#pragma once

#include <string>

#include "core/base/error.hpp"

template <typename Call>
std::string error_text(rt::ErrorKind kind, Call call) {
    try {
        call();
    } catch (const rt::Error& error) {
        return error.kind() == kind ? error.what() : "(another kind) " + std::string(error.what());
    }
    return "(no error)";
}

template <typename Call>
std::string input_error(Call call) {
    return error_text(rt::ErrorKind::input, call);
}
