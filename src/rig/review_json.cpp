#include "actions.hpp"
#include "axes.hpp"
#include "review_parts.hpp"
#include "shapes.hpp"
#include "switches.hpp"

#include <gyrax/files/json_version.hpp>
#include <gyrax/rig/findings.hpp>
#include <gyrax/rig/predictions.hpp>
#include <gyrax/rig/review.hpp>

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>

namespace gyrax {

std::string review_json(const Rig& rig) {
  using Json = nlohmann::ordered_json;
  const std::vector<Finding> found = findings(rig);
  Json all{{"gyrax_json", json_version},
           {"rig", rig.path},
           {"title", rig.title},
           {"good",
            std::ranges::none_of(found, [](const Finding& f) { return f.about->severity == Severity::cannot_work; })},
           {"period_ms", to_seconds(rig.period) * 1e3}};
  all["axes"] = Json::array();
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisLimits& l = rig.setup.axes[a].limits;
    const AxisTimes t = times_of(rig, a);
    all["axes"].push_back({{"axis", rig.axes[a].name},
                           {"unit", rig.axes[a].unit},
                           {"travel", {l.low(), l.high()}},
                           {"speed", l.speed()},
                           {"accel", l.full().accel},
                           {"jerk", l.full().jerk},
                           {"decel", l.full().decel},
                           {"decel_jerk", l.full().decel_jerk},
                           {"stop_s", t.stop_s},
                           {"stop_distance", t.stop_distance},
                           {"travel_s", t.travel_s},
                           {"increment", t.increment},
                           {"increment_s", t.increment_s},
                           {"position", position_words(rig, a)},
                           {"file", rig.axes[a].origin.file},
                           {"line", rig.axes[a].origin.line}});
  }
  all["predictions"] = Json::array();
  for (const AtSpeed at : {AtSpeed::full, AtSpeed::in_force})
    for (const Prediction& p : predict(rig, at))
      all["predictions"].push_back({{"axis", rig.axes[index(p.axis)].name},
                                    {"cause", about(p.cause).name},
                                    {"side", name_of(side_of(p.cause))},
                                    {"at", at == AtSpeed::full ? "full" : "in_force"},
                                    {"category", static_cast<int>(p.category)},
                                    {"speed", p.speed},
                                    {"way", p.way()},
                                    {"time_s", p.time_s()},
                                    {"notice_s", p.notice_s},
                                    {"notice_way", p.notice_way},
                                    {"stop_s", p.stop_s},
                                    {"stop_way", p.stop_way},
                                    {"lag_s", p.lag_s},
                                    {"lag_way", p.lag_way},
                                    {"notice", p.notice}});
  all["zones"] = Json::array();
  for (std::size_t z = 0; z < rig.zones.size(); ++z) {
    Json categories = Json::object();
    for (std::size_t c = 1; c < cause_count; ++c)
      categories[about(static_cast<Cause>(c)).name] = static_cast<int>(rig.setup.zones[z].categories[c]);
    all["zones"].push_back({{"zone", rig.zones[z]},
                            {"hold_to_run", rig.setup.zones[z].hold_to_run},
                            {"stow_after", stowed_after(rig.setup.zones[z])},
                            {"categories", categories}});
  }
  all["switches"] = Json::array();
  for (std::size_t i = 0; i < rig.switches.size(); ++i) {
    const SwitchSetup& s = rig.setup.switches[i];
    Json becomes = Json::object();
    for (std::size_t c = 1; c < cause_count; ++c) becomes[about(static_cast<Cause>(c)).name] = name_of(s.becomes[c]);
    all["switches"].push_back({{"switch", rig.switches[i]},
                               {"start", s.start_on ? "on" : "off"},
                               {"link", rig.links[index(s.wiring.link)].name},
                               {"becomes", becomes},
                               {"pulse_s", to_seconds(s.pulse)},
                               {"max_on_s", to_seconds(s.max_on)},
                               {"min_off_s", to_seconds(s.min_off)}});
  }
  all["inputs"] = Json::array();
  for (std::size_t i = 0; i < rig.inputs.size(); ++i) {
    const InputInfo& info = rig.inputs[i];
    const InputBounds& bounds = rig.setup.inputs[i].bounds;
    Json input{{"input", info.name}, {"unit", info.unit}, {"link", rig.links[index(info.link)].name}};
    if (info.range) input["range"] = {info.range->first, info.range->second};
    if (std::isfinite(bounds.low)) input["below"] = bounds.low;
    if (std::isfinite(bounds.high)) input["above"] = bounds.high;
    all["inputs"].push_back(input);
  }
  all["actions"] = Json::array();
  for (std::size_t i = 0; i < rig.actions.size(); ++i) {
    const ActionSetup& s = rig.setup.actions[i];
    const ActionInfo& info = rig.actions[i];
    Json action{{"action", info.name}, {"group", info.group}, {"zone", rig.zones[index(s.zone)]}};
    if (s.link != no<LinkId>) action["link"] = rig.links[index(s.link)].name;
    action["lines"] = info.lines;
    if (!info.message.empty()) action["message"] = info.message;
    for (const auto& [key, list] : {std::pair{"writes", &info.writes}, {"cancels", &info.cancels}}) {
      action[key] = Json::array();
      for (const RegisterWrite& write : *list) action[key].push_back(words_of(write));
    }
    action["moves"] = Json::array();
    for (const AxisId axis : s.moves) action["moves"].push_back(rig.axes[index(axis)].name);
    action["homes"] = Json::array();
    for (const AxisId axis : s.homes) action["homes"].push_back(rig.axes[index(axis)].name);
    action["when"] = names_of_states(s.when);
    action["pauses"] = s.pauses;
    action["confirm_s"] = to_seconds(s.confirm);
    action["limit_s"] = to_seconds(s.limit);
    all["actions"].push_back(action);
  }
  all["links"] = Json::array();
  for (const LinkInfo& link : rig.links)
    all["links"].push_back({{"link", link.name}, {"kind", link.kind}, {"numbers", link.numbers}});
  all["overrides"] = Json::array();
  for (std::size_t n = 0; n < rig.numbers.size(); ++n) {
    const OverrideId override = rig.setup.notches.numbers[n].override;
    if (override == no<OverrideId>) continue;
    const auto& list = rig.setup.notches.overrides[index(override)];
    all["overrides"].push_back({{"name", rig.numbers[n].name},
                                {"percent", list.values},
                                {"start", list.values[list.start]},
                                {"file", rig.numbers[n].origin.file},
                                {"line", rig.numbers[n].origin.line}});
  }
  all["controls"] = Json::array();
  for (std::size_t s = 0; s < rig.slots.size(); ++s) {
    const ControlSetup& c = rig.setup.controls[s];
    all["controls"].push_back({{"handset", rig.handsets[index(c.handset)]},
                               {"control", rig.slots[s].name},
                               {"made_of", virtual_words(rig, c)},
                               {"shape", shape_words(c)}});
  }
  all["bindings"] = Json::array();
  for (std::size_t row = 0; row < rig.bindings.size(); ++row) {
    const BindingInfo& b = rig.bindings[row];
    all["bindings"].push_back(
        {{"says", b.sentence + delay_of(rig, row)}, {"file", b.origin.file}, {"line", b.origin.line}});
  }
  all["findings"] = Json::array();
  for (const Finding& f : found)
    all["findings"].push_back({{"code", f.about->code},
                               {"severity", name_of(f.about->severity)},
                               {"file", f.at.file},
                               {"line", f.at.line},
                               {"column", f.at.column},
                               {"key", f.key},
                               {"what", f.what},
                               {"why", f.about->why},
                               {"instead", f.instead}});
  all["remarks"] = rig.remarks;
  all["origins"] = Json::object();
  for (const auto& [key, origin] : rig.origins) all["origins"][key] = {{"file", origin.file}, {"line", origin.line}};
  return all.dump(2) + "\n";
}

}  // namespace gyrax
