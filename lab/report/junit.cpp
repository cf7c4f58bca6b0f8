#include "lab/report/junit.hpp"

#include <map>
#include <pugixml.hpp>
#include <sstream>

#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/report/plain_text.hpp"

namespace rt::lab {
namespace {

void set(pugi::xml_node& node, const char* name, std::string_view value) {
    node.append_attribute(name).set_value(plain_text(value).c_str());
}

std::string numbers_text(const Finding& f) {
    if (!f.margin) return f.reason;
    std::string out = "value " + format({*f.value, f.unit}) + ", limit " + format({*f.limit, f.unit}) +
                      ", margin " + margin_text(f);
    if (f.at) out += " at " + place_text(f);
    if (f.uncertainty) out += ", uncertainty " + format({*f.uncertainty, f.margin_unit()}, 3);
    if (!f.reason.empty()) out += "; " + f.reason;
    for (const auto& text : f.deviations) out += "; not per the standard: " + text;
    return out;
}

void add_case(pugi::xml_node& suite, const PointRecord& point, const Finding& f, double seconds) {
    pugi::xml_node one = suite.append_child("testcase");
    set(one, "name", point.label + ": " + f.rule);
    set(one, "classname", point.test);
    set(one, "time", fixed(seconds, 3));
    const std::string numbers = numbers_text(f);
    if (f.verdict == Verdict::fail) {
        pugi::xml_node failure = one.append_child("failure");
        set(failure, "message", numbers);
        set(failure, "type", "FAIL");
    } else if (f.verdict == Verdict::none) {
        pugi::xml_node error = one.append_child("error");
        set(error, "message", f.reason);
        set(error, "type", "NONE");
    }
    one.append_child("system-out")
        .append_child(pugi::node_pcdata)
        .set_value(plain_text(std::string(name(f.verdict)) + ": " + numbers).c_str());
}

}  // namespace

std::string junit_xml(const RunRecord& run) {
    pugi::xml_document document;
    auto declaration = document.append_child(pugi::node_declaration);
    declaration.append_attribute("version") = "1.0";
    declaration.append_attribute("encoding") = "UTF-8";
    pugi::xml_node suites = document.append_child("testsuites");
    set(suites, "name", run.head.title);
    for (const auto& test : run.tests) {
        pugi::xml_node suite = suites.append_child("testsuite");
        VerdictCounts counts;
        double seconds = 0;
        std::string begun;
        for (const auto& point : run.points) {
            if (point.test != test.name) continue;
            if (begun.empty()) begun = point.started;
            seconds += seconds_between(point.started, point.ended);
            for (const auto& f : point.findings) counts.add(f.verdict);
        }
        set(suite, "name", test.name);
        set(suite, "tests", std::to_string(counts.total()));
        set(suite, "failures", std::to_string(counts.fail));
        set(suite, "errors", std::to_string(counts.none));
        set(suite, "skipped", "0");
        set(suite, "time", fixed(seconds, 3));
        if (begun.size() >= 19) set(suite, "timestamp", begun.substr(0, 19));
        pugi::xml_node properties = suite.append_child("properties");
        for (const char* fact : {"unit.maker", "unit.model", "unit.serial", "bench", "operator", "version"}) {
            if (run.fact(fact).empty()) continue;
            pugi::xml_node property = properties.append_child("property");
            set(property, "name", fact);
            set(property, "value", run.fact(fact));
        }
        for (const auto& point : run.points) {
            if (point.test != test.name) continue;
            for (const auto& f : point.findings)
                add_case(suite, point, f, seconds_between(point.started, point.ended));
        }
    }
    std::ostringstream out;
    document.save(out, "  ");
    return out.str();
}

}  // namespace rt::lab
