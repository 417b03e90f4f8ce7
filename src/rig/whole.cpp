// What only the whole rig can tell: groups of one, what each zone depends on, what is missing, what cannot be promised.
#include "builder.hpp"

#include <gyrax/rig/predictions.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

template <class Id>
void add_once(std::vector<Id>& list, Id id) {
  if (std::find(list.begin(), list.end(), id) == list.end()) list.push_back(id);
}

}  // namespace

void RigBuilder::refuse_whole(Code code, std::string what, std::string allowed) {
  problems_.add(code, {rig_.path}, "", std::move(what), std::move(allowed));
}

void RigBuilder::add_lone_groups() {
  for (std::size_t a = 0; a < grouped_.size(); ++a) {
    if (grouped_[a] != 0) continue;
    GroupSetup alone;
    alone.axes.push_back(id_at<AxisId>(a));
    alone.zone = rig_.setup.axes[a].zone;
    rig_.setup.groups.push_back(alone);
  }
}

void RigBuilder::collect_dependencies() {
  Setup& setup = rig_.setup;
  for (std::size_t a = 0; a < setup.axes.size(); ++a) {
    ZoneSetup& zone = setup.zones[index(setup.axes[a].zone)];
    zone.axes.push_back(id_at<AxisId>(a));
    add_once(zone.links, setup.axes[a].wiring.link);
    // On the word of a switch that nobody hears of nothing moves.
    for (const SwitchId target : setup.axes[a].needs) add_once(zone.links, setup.switches[index(target)].wiring.link);
    for (const InputId input : setup.axes[a].needs_inputs) add_once(zone.links, setup.inputs[index(input)].link);
    for (const InputId end :
         {setup.axes[a].low_end, setup.axes[a].high_end, setup.axes[a].homed, setup.axes[a].homing.home})
      if (end != no<InputId>) add_once(zone.links, setup.inputs[index(end)].link);
  }
  for (ZoneSetup& zone : setup.zones)
    for (const auto* inputs : {&zone.needs, &zone.bounded})
      for (const InputId input : *inputs) add_once(zone.links, setup.inputs[index(input)].link);
  for (const BindingSetup& b : setup.bindings) {
    const HandsetId handset = setup.controls[index(b.slot)].handset;
    if (const CoordinateId coordinate = moved_by(b.effect); coordinate != no<CoordinateId>) {
      ZoneSetup& zone = setup.zones[index(setup.axes[index(coordinate)].zone)];
      add_once(zone.handsets, handset);
      add_once(b.as<effect::Follow>() ? zone.followed : zone.controls, b.slot);
    }
    for (std::size_t z = 0; z < setup.zones.size(); ++z) {
      if (!has(zones_of(b.effect), id_at<ZoneId>(z))) continue;
      add_once(setup.zones[z].handsets, handset);
      if (b.as<effect::Stop>()) add_once(setup.zones[z].stops, b.slot);
    }
  }
}

void RigBuilder::require_bindings() {
  struct Word {
    const char* key;
    bool (*gives)(const Effect&);
  };
  const Word words[] = {{"ready", makes_ready}, {"enable", enables}, {"stop", stops}, {"reset", resets}};
  for (std::size_t z = 0; z < rig_.zones.size(); ++z) {
    const ZoneSetup& zone = rig_.setup.zones[z];
    if (zone.controls.empty() && zone.followed.empty()) continue;
    for (const Word& word : words) {
      const bool enable = word.gives == enables;
      const auto gives = [&](const BindingSetup& b) {
        return word.gives(b.effect) && has(zones_of(b.effect), id_at<ZoneId>(z));
      };
      if ((enable && zone.hold_to_run) || std::ranges::any_of(rig_.setup.bindings, gives)) continue;
      refuse_whole(Code::missing_binding, fmt::format("no control gives \"{}\" to zone '{}'", word.key, rig_.zones[z]),
                   enable ? "a zone that moves needs ready, enable, stop and reset; or [zone.…] hold_to_run = true"
                          : "a zone that moves needs ready, enable, stop and reset");
    }
  }
}

void RigBuilder::refuse_binding(std::size_t row, std::string what, std::string allowed) {
  problems_.add(Code::one_effect, {rig_.bindings[row].origin.file, rig_.bindings[row].origin.line, 1}, "bind",
                std::move(what), std::move(allowed));
}

/// Whether a control, or one that it is made of, is smoothed.
bool RigBuilder::smoothed(SlotId slot) const {
  const ControlSetup& control = rig_.setup.controls[index(slot)];
  bool any = control.smoothing_s > 0;
  for (std::size_t i = 0; i < parts_of(control.virtual_control.how); ++i)
    any = any || smoothed(control.virtual_control.parts[i]);
  return any;
}

/// Whether what moves is what allows it.
bool RigBuilder::holds_to_run(const BindingSetup& b) const {
  const CoordinateId moved = moved_by(b.effect);
  return moved != no<CoordinateId> && rig_.setup.zones[index(rig_.setup.axes[index(moved)].zone)].hold_to_run;
}

/// One press is one word to the permit, and counts at once; so does letting go what is held to run.
void RigBuilder::check_permits() {
  const auto& bindings = rig_.setup.bindings;
  for (std::size_t i = 0; i < bindings.size(); ++i) {
    const BindingSetup& b = bindings[i];
    const std::string& name = rig_.slots[index(b.slot)].name;
    const bool allows = about(b.effect).word || holds_to_run(b);
    if (allows && smoothed(b.slot))
      refuse_binding(i, fmt::format("'{}' is smoothed, and would stop late", name), "a control without 'smoothing_ms'");
    if (!about(b.effect).word) continue;
    const auto same = [&](const BindingSetup& o) {
      return &o < &b && o.slot == b.slot && o.gesture == b.gesture && o.with == b.with &&
             (zones_of(o.effect) & zones_of(b.effect)) != 0;
    };
    if (std::any_of(bindings.begin(), bindings.end(), same))
      refuse_binding(i, fmt::format("one press of '{}' would be two words to the permit", name), "one of them");
  }
}

/// Every handset that can move something can stop it, or its station can.
void RigBuilder::check_stops() {
  for (std::size_t z = 0; z < rig_.zones.size(); ++z) {
    const ZoneSetup& zone = rig_.setup.zones[z];
    HandsetBits stopping = 0, told = 0;
    for (const BindingSetup& b : rig_.setup.bindings)
      if (stops(b.effect) && has(zones_of(b.effect), id_at<ZoneId>(z)))
        stopping |= bit(rig_.setup.controls[index(b.slot)].handset);
    if (stopping == 0) continue;  // told already: the zone has none
    std::vector<SlotId> movers = zone.controls;
    movers.insert(movers.end(), zone.followed.begin(), zone.followed.end());
    for (const BindingSetup& b : rig_.setup.bindings)
      if (const auto* asks = b.as<effect::Action>(); asks && index(asks->zone) == z)
        if (!rig_.setup.actions[index(asks->action)].moves.empty()) movers.push_back(b.slot);
    for (const SlotId slot : movers) {
      const HandsetId handset = rig_.setup.controls[index(slot)].handset;
      if ((rig_.setup.stations[index(handset)] & (stopping | told)) != 0) continue;
      told |= bit(handset);
      refuse_whole(Code::missing_binding,
                   fmt::format("'{}' can move something in zone '{}' and cannot stop it", rig_.handsets[index(handset)],
                               rig_.zones[z]),
                   "\"stop\" on it, or on another handset of its station");
    }
  }
}

/// Axes that the machine couples go to poses that name all of them, and nowhere alone.
void RigBuilder::check_coupled() {
  for (const GroupSetup& group : rig_.setup.groups) {
    if (!group.together) continue;
    for (std::size_t row = 0; row < rig_.bindings.size(); ++row) {
      const BindingSetup& b = rig_.setup.bindings[row];
      const AxisId axis = id_at<AxisId>(index(moved_by(b.effect)));
      if (std::find(group.axes.begin(), group.axes.end(), axis) == group.axes.end()) continue;
      if (const auto* pose = b.as<effect::Pose>(); pose && pose->places.size() == group.axes.size()) continue;
      refuse_binding(row, fmt::format("'{}' would move alone, and its group is coupled", rig_.axes[index(axis)].name),
                     "a pose of all its axes, or no 'together'");
    }
  }
}

/// A latched layer can be on.
void RigBuilder::check_layers() {
  for (std::size_t l = 0; l < rig_.layers.size(); ++l) {
    const LayerSetup& layer = rig_.setup.layers[l];
    const auto latches = [&](const BindingSetup& b) {
      const auto* e = b.as<effect::Layer>();
      return e && index(e->layer) == l;
    };
    if (layer.held == no<SlotId> && !layer.starts_on &&
        std::none_of(rig_.setup.bindings.begin(), rig_.setup.bindings.end(), latches))
      refuse_whole(Code::missing_binding, fmt::format("nothing turns layer '{}' on", rig_.layers[l]),
                   fmt::format("a key with {{ layer = \"{}\" }}, or [layer.{}] with start = \"on\"", rig_.layers[l],
                               rig_.layers[l]));
  }
}

/// What two bindings of one key do to each other.
void RigBuilder::check_gestures() {
  const auto& bindings = rig_.setup.bindings;
  for (std::size_t i = 0; i < bindings.size(); ++i) {
    const BindingSetup& b = bindings[i];
    const std::string& name = rig_.slots[index(b.slot)].name;
    const auto same_place = [&](const BindingSetup& o) { return o.slot == b.slot && o.layer == b.layer; };
    const auto also_stops = [&](const BindingSetup& o) { return &o != &b && o.slot == b.slot && stops(o.effect); };
    const auto goes_back = [&](const BindingSetup& o) { return also_stops(o) && o.as<effect::ReadyOrStow>(); };
    if (std::any_of(bindings.begin(), bindings.end(), goes_back))
      refuse_binding(i, fmt::format("'{}' makes ready and stows, and does something else", name),
                     "a key of its own, that does nothing else in any layer");
    else if (b.gesture != Gesture::press && std::any_of(bindings.begin(), bindings.end(), also_stops))
      refuse_binding(i, fmt::format("'{}' is a stop, and has a gesture beside it", name),
                     "a key that stops does nothing but stop when it is pressed");
    if (b.layer != no<LayerId> && std::any_of(bindings.begin(), bindings.end(), also_stops))
      rig_.remarks.push_back(
          fmt::format("{}: it stops in every layer, so that what it does in a layer comes with a stop", name));
    const auto twice = [&](const BindingSetup& o) {
      return &o < &b && o.gesture == Gesture::hold && same_place(o) && o.hold != b.hold;
    };
    if (b.gesture == Gesture::hold && std::any_of(bindings.begin(), bindings.end(), twice))
      refuse_binding(i, fmt::format("'{}' has two holds of different times in one layer", name),
                     "one of them, or one hold_s for both");
  }
  const auto chooses = [](const BindingSetup& b) { return b.as<effect::Choose>() != nullptr; };
  const auto adjusts_chosen = [](const BindingSetup& b) {
    const auto* adjust = b.as<effect::Adjust>();
    return adjust && !adjust->number;
  };
  if (std::any_of(bindings.begin(), bindings.end(), adjusts_chosen) &&
      std::none_of(bindings.begin(), bindings.end(), chooses))
    refuse_whole(Code::missing_binding, "something adjusts the chosen number, and nothing chooses one",
                 "a key with { choose = [\"override\", …] }");
}

/// What few keys give up.
void RigBuilder::remark_few_keys() {
  for (std::size_t z = 0; z < rig_.zones.size(); ++z) {
    const ZoneSetup& zone = rig_.setup.zones[z];
    if (zone.hold_to_run)
      rig_.remarks.push_back(fmt::format(
          "zone {}: hold to run, without an enabling device: once it is ready, a bump of a control moves it",
          rig_.zones[z]));
    for (const BindingSetup& b : rig_.setup.bindings) {
      if (!b.as<effect::ReadyOrStow>() || !has(zones_of(b.effect), id_at<ZoneId>(z))) continue;
      const HandsetId handset = rig_.setup.controls[index(b.slot)].handset;
      const auto only_stops = [&](SlotId slot) { return rig_.setup.controls[index(slot)].handset == handset; };
      rig_.remarks.push_back(fmt::format(
          "zone {}: {} makes ready and stows: pressed once more, after half a second, it makes ready again{}",
          rig_.zones[z], rig_.slots[index(b.slot)].name,
          std::ranges::any_of(zone.stops, only_stops) ? "" : "; its handset has no key that only stops"));
    }
  }
}

void RigBuilder::remark() {
  remark_few_keys();
  for (const LinkInfo& link : rig_.links)
    if (link.registers && link.registers->tells_any())
      rig_.remarks.push_back(fmt::format(
          "link {}: whether the watchdog of its far end is on, and stops after {:g} ms, nobody checks; where it "
          "is off, what was told last stays told",
          link.name, link.number("watchdog_ms")));
  for (std::size_t l = 0; l < rig_.links.size(); ++l) {
    const LinkInfo& link = rig_.links[l];
    if (!link.dialect) continue;
    rig_.remarks.push_back(
        fmt::format("link {}: a controller has no watchdog for us. When Gyrax ends at once or its wire is cut, it goes "
                    "on until its "
                    "queue has run out, for {:.0f} ms at most; what it has switched on stays on",
                    link.name, far_end_of(rig_, id_at<LinkId>(l)).runs_out_s * 1e3));
    if (!link.dialect->line.has("sum"))
      rig_.remarks.push_back(fmt::format(
          "link {}: its lines have no check sum, so that a digit that is spoiled on the wire is another place",
          link.name));
    if (link.dialect->modes_ask.empty())
      rig_.remarks.push_back(
          fmt::format("link {}: its modes cannot be read back; they are set, and taken to be so", link.name));
  }
  for (std::size_t a = 0; a < rig_.actions.size(); ++a) {
    const ActionSetup& action = rig_.setup.actions[a];
    if (action.moves.empty()) continue;
    std::vector<std::string> axes;
    for (const AxisId axis : action.moves) axes.push_back(rig_.axes[index(axis)].name);
    rig_.remarks.push_back(
        fmt::format("action {}: {} moves {} by itself: of Gyrax only its stops hold meanwhile, not its travel or speed",
                    rig_.actions[a].name, rig_.links[index(action.link)].name, listed(axes)));
  }
  remark_homing();
  for (const LinkInfo& link : rig_.links)
    for (const ChannelInfo& channel : link.axis_channels)
      if (channel.kind == wire::ChannelKind::stepper)
        rig_.remarks.push_back(fmt::format(
            "axis {}: {} counts its steps from where it stands when power comes; a step that is lost is not noticed",
            channel.name, link.name));
  for (std::size_t a = 0; a < rig_.axes.size(); ++a)
    if (rig_.axes[a].motor) {
      rig_.remarks.push_back(fmt::format(
          "motor {}: nothing measures it, so that a stalled or a runaway one is not noticed", rig_.axes[a].name));
    } else if (rig_.setup.axes[a].position == PositionKind::assumed && !rig_.setup.axes[a].homing.any())
      rig_.remarks.push_back(
          fmt::format("axis {}: nothing measures it, so that a wrong or a stuck one is not noticed; its first move "
                      "runs at {:g} % speed",
                      rig_.axes[a].name, AxisMotion::unsure_share * 100));
  for (std::size_t a = 0; a < rig_.axes.size(); ++a) {
    const auto asks = [&](const BindingSetup& b) {
      bool moves = false;
      each_moved(b.effect, [&](CoordinateId c) { moves = moves || index(c) == a; });
      return moves;
    };
    if (std::none_of(rig_.setup.bindings.begin(), rig_.setup.bindings.end(), asks))
      rig_.remarks.push_back(fmt::format("axis {}: no binding moves it", rig_.axes[a].name));
  }
}

Rig RigBuilder::finish(const std::string& path) {
  rig_.path = path;
  const Setup& s = rig_.setup;
  const std::tuple<const char*, std::size_t, std::size_t> counts[] = {{"axes", s.axes.size(), max_axes},
                                                                      {"handsets", s.handsets.size(), max_handsets},
                                                                      {"links", s.links.size(), max_links},
                                                                      {"zones", s.zones.size(), max_zones},
                                                                      {"switches", s.switches.size(), max_switches},
                                                                      {"controls", s.controls.size(), max_slots},
                                                                      {"bindings", s.bindings.size(), max_bindings}};
  for (const auto& [what, count, most] : counts)
    if (count > most) refuse_whole(Code::too_many, fmt::format("{} {}", count, what), fmt::format("at most {}", most));
  if (s.axes.empty()) refuse_whole(Code::nothing_to_move, "the rig has no axis", "at least one [axis.name]");
  if (s.handsets.empty()) refuse_whole(Code::nothing_to_move, "the rig has no handset", "at least one [handset.name]");
  if (problems_.any()) return std::move(rig_);
  add_lone_groups();
  collect_dependencies();
  require_bindings();
  check_gestures();
  check_permits();
  check_stops();
  check_coupled();
  check_layers();
  check_writes();
  check_pauses();
  check_homing();
  remark();
  for (std::size_t row = 0; row < s.controls.size(); ++row) {
    const ControlSetup& c = s.controls[row];
    if (c.control == no<ControlId>) continue;
    rig_.seats[index(c.handset)].controls.push_back(
        {id_at<SlotId>(row), c.control, c.calibration, rig_.slots[row].own_ends});
  }
  for (std::size_t b = 0; b < rig_.bindings.size(); ++b) rig_.bindings[b].sentence = describe(rig_, s.bindings[b]);
  return std::move(rig_);
}

}  // namespace gyrax
