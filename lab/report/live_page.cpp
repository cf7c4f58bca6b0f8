#include "lab/report/live_page.hpp"

#include <kainjow/mustache.hpp>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/sweep_figure.hpp"
#include "lab/report/verdict_data.hpp"
#include "live_template.hpp"

namespace rt::lab {

using Mustache = kainjow::mustache::mustache;
using Data = kainjow::mustache::data;

constexpr std::size_t most_lines = 14;
constexpr std::size_t most_drawn = 5000;  // of a test, for its curves

LivePage::LivePage(std::filesystem::path folder, std::string title, std::string unit,
                   const VerdictCounts& counts)
    : folder_(std::move(folder)), title_(std::move(title)), unit_(std::move(unit)), counts_(counts) {
    renew(true);
}

void LivePage::point(const PointRecord& point, const Progress& progress) {
    progress_ = progress;
    doing_.clear(), drawing_.clear();
    for (const auto& finding : point.findings) counts_.add(finding.verdict);
    if (!points_.empty() && points_.front().test != point.test && point.kind != PointKind::check)
        points_.clear();
    if (points_.size() < most_drawn && point.kind != PointKind::check) points_.push_back(point);
    last_.push_back(point);
    if (last_.size() > most_lines) last_.erase(last_.begin());
    renew(false);
}

void LivePage::event(const EventRecord& event) {
    events_.push_back(event);
    if (events_.size() > 200) events_.erase(events_.begin());
    renew(true);
}

void LivePage::say(const std::string& what) {
    doing_ = what, drawing_.clear();
    renew(true);
}

void LivePage::ask(const std::string& what, const std::string& drawing) {
    doing_ = "waiting for the operator: " + what, drawing_ = drawing;
    renew(true);
}

void LivePage::finish(const std::string& state, bool with_report) {
    state_ = state;
    with_report_ = with_report;
    progress_.at_most = false;
    doing_.clear(), drawing_.clear();
    draw_curves();
    write_file(folder_ / live_file, page(false));
}

void LivePage::renew(bool now) {
    if (!now && !next_.passed()) return;
    const Stopwatch drawing;
    try {
        draw_curves();
        write_file(folder_ / live_file, page(true));
    } catch (const Error&) {
        // A page that cannot be drawn is no reason to end a run.
    }
    next_ = Deadline(std::max(2.0, drawing.seconds() * 20));
}

void LivePage::draw_curves() {
    std::vector<const PointRecord*> points;
    for (const auto& point : points_) points.push_back(&point);
    if (points.empty()) return;
    const auto figure = sweep_figure(points, points_.front().test);
    curves_.clear();
    if (!figure) return;
    const auto file = folder_ / ".live.svg";
    Plotter plotter;
    plotter.draw(*figure, file);
    plotter.finish();
    curves_.push_back(base64(read_file(file)));
    std::error_code ignored;
    std::filesystem::remove(file, ignored);
}

std::string LivePage::page(bool renewing) const {
    Data page;
    page.set("title", title_);
    page.set("unit", unit_);
    page.set("renewing", renewing);
    page.set("state", state_);
    page.set("with_report", with_report_);
    page.set("now", utc_now().substr(11, 8) + " UTC");
    page.set("done", std::to_string(progress_.done));
    page.set("total", std::string(progress_.at_most ? "at most " : "") + std::to_string(progress_.total));
    const double share =
        progress_.total ? 100.0 * static_cast<double>(progress_.done) / static_cast<double>(progress_.total)
                        : 0;
    page.set("share", decimal(share, 1));
    page.set("left", duration_text(progress_.seconds_left));
    page.set("passed", duration_text(start_.seconds()));
    page.set("has_left", renewing && progress_.done > 0);
    page.set("pass", std::to_string(counts_.pass));
    page.set("marginal", std::to_string(counts_.marginal));
    page.set("fail", std::to_string(counts_.fail));
    page.set("none", std::to_string(counts_.none));
    page.set("doing", doing_);
    page.set("has_doing", !doing_.empty());
    page.set("drawing", base64(drawing_));
    page.set("has_drawing", !drawing_.empty());
    Data points{Data::type::list}, events{Data::type::list}, curves{Data::type::list}, axes{Data::type::list};
    for (auto at = last_.rbegin(); at != last_.rend(); ++at) {
        const auto add = [&](const Finding* finding) {
            Data row = finding ? verdict_data(finding->verdict) : Data{};
            row.set("judged", finding != nullptr);
            row.set("position", std::to_string(at->position));
            row.set("test", at->test);
            row.set("label", at->label);
            row.set("value", at->results.empty() ? "" : format(at->results.front().value));
            row.set("margin", finding && finding->margin ? margin_text(*finding) : "");
            row.set("reason", finding && !finding->margin ? finding->reason : "");
            points << row;
        };
        if (at->findings.empty()) add(nullptr);
        for (const auto& finding : at->findings) add(&finding);
    }
    if (!last_.empty()) {
        page.set("test", last_.back().test);
        for (const auto& [name, value] : last_.back().axes) {
            Data row;
            row.set("name", name);
            row.set("value", value);
            axes << row;
        }
    }
    std::size_t shown = 0;
    for (auto at = events_.rbegin(); at != events_.rend() && shown < most_lines; ++at, ++shown) {
        Data row;
        row.set("time", at->time.size() < 19 ? at->time : at->time.substr(11, 8));
        row.set("kind", at->kind);
        row.set("text", at->text);
        events << row;
    }
    for (const auto& svg : curves_) curves << Data{"svg", svg};
    page.set("points", points);
    page.set("events", events);
    page.set("has_events", !events_.empty());
    page.set("curves", curves);
    page.set("axes", axes);
    Mustache mustache{std::string(live_template)};
    if (!mustache.is_valid()) throw Error(ErrorKind::internal, "live template", mustache.error_message());
    return mustache.render(page);
}

}  // namespace rt::lab
