#include "lab/run/unit_identity.hpp"

#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/measure/module/management.hpp"
#include "lab/captures/ask.hpp"

namespace rt::lab {
namespace {

constexpr std::array details{"maker", "model", "serial", "hardware", "firmware"};

// In the words of a module's registers.
std::string detail_of(const std::string& what) {
    if (what == "part") return "model";
    if (what == "revision") return "hardware";
    return what;
}

const std::string* find(const TextPairs& pairs, const std::string& name) {
    const auto at =
        std::find_if(pairs.begin(), pairs.end(), [&](const auto& pair) { return pair.first == name; });
    return at == pairs.end() || at->second.empty() ? nullptr : &at->second;
}

bool is_detail(const std::string& name) {
    return std::find(details.begin(), details.end(), name) != details.end();
}

}  // namespace

TextPairs said_of_itself(InstrumentRole& role) {
    TextPairs out;
    if (role.instrument().is("module")) {
        try {
            const auto module = management::read_module(read_module(role, RegistersSetup{1}));
            for (const auto& [what, value] : module.identity) {
                if (is_detail(detail_of(what))) out.emplace_back(detail_of(what), value);
            }
        } catch (const Error& error) {
            if (error.kind() != ErrorKind::signal) throw;
            fail_bench("the " + role.instrument().role + " cannot say what it is: " + error.message());
        }
        return out;
    }
    for (const char* detail : details) {
        const auto answer = role.session().ask_if_known(std::string("query_") + detail);
        if (!answer) continue;
        std::string text(trim(*answer));
        if (text.size() >= 2 && text.front() == '"' && text.back() == '"')
            text = text.substr(1, text.size() - 2);
        text = printable(std::string(trim(text)));
        if (!text.empty()) out.emplace_back(detail, text);
    }
    return out;
}

TextPairs taken_over(const TextPairs& said, const TextPairs& known, const std::string& role) {
    TextPairs out;
    for (const char* detail : details) {
        const std::string* there = find(said, detail);
        const std::string* stated = find(known, detail);
        if (!there) {
            const std::string_view name = detail;
            if (!stated && (name == "model" || name == "serial"))
                fail_bench("the " + role + " does not say its " + detail + ": state it in [unit]");
            continue;
        }
        if (!stated)
            out.emplace_back(detail, *there);
        else if (lower(trim(*stated)) != lower(trim(*there)))
            fail_bench("another unit: the " + role + " says that its " + detail + " is " + in_quotes(*there) +
                       ", not " + in_quotes(*stated));
    }
    return out;
}

void require_said(Plan& plan) {
    const std::string& role = plan.campaign->unit_says;
    if (role.empty()) return;
    const Instrument* instrument = plan.bench->find(role);
    const auto refuse = [&](const std::string& why) {
        fail_input(plan.campaign->unit_says_where, "said_by in [unit]: " + why);
    };
    if (!instrument)
        refuse("no instrument has the role " + in_quotes(role) + suggestion(role, plan.bench->roles()));
    if (instrument->recorded()) refuse("the " + role + " is read from recorded files and cannot be asked");
    const bool asked = std::any_of(details.begin(), details.end(), [&](const char* detail) {
        return instrument->dialect.knows(std::string("query_") + detail);
    });
    if (!instrument->is("module") && !asked)
        refuse("the " + role + " cannot be asked: its dialect " + instrument->dialect.id +
               " has no command query_serial");
    plan.roles.insert(role);
}

}  // namespace rt::lab
