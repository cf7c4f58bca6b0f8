// The list of commands. Adding one is one file with a function of this name, and one line here.
#include <array>

#include "cli/command.hpp"

// clang-format off
#define RT_EVERY_COMMAND(each) \
    each(demo_command) \
    each(draft_command) \
    each(check_command) \
    each(run_command) \
    each(field_command) \
    each(measure_command) \
    each(make_command) \
    each(report_command) \
    each(export_command) \
    each(judge_command) \
    each(each_command) \
    each(compare_command) \
    each(verify_command) \
    each(sign_command) \
    each(find_command) \
    each(trend_command) \
    each(push_command) \
    each(rules_command) \
    each(bench_command) \
    each(dialects_command) \
    each(kinds_command) \
    each(explain_command) \
    each(traffic_command)
// clang-format on

namespace rt::cli {

#define RT_DECLARE(name) Command name();
RT_EVERY_COMMAND(RT_DECLARE)
#undef RT_DECLARE

std::span<const Command> commands() {
#define RT_LIST(name) name(),
    static const std::array list{RT_EVERY_COMMAND(RT_LIST)};
#undef RT_LIST
    return list;
}

std::span<const OptionInfo> common_options() {
    static constexpr std::array list{OptionInfo{"json", "", "results as JSON on stdout (docs/json.md)"},
                                     OptionInfo{"q,quiet", "", "no progress on stderr"},
                                     OptionInfo{"v,verbose", "", "more of it"},
                                     OptionInfo{"h,help", "", "this page"}};
    return list;
}

}  // namespace rt::cli
