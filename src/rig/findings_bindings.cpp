// What is absurd or dangerous in what hands touch and what it asks for.
#include "findings_kinds.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

/// The bindings of a rig with what is asked of them again and again.
struct Bindings {
  const Rig& rig;
  const std::vector<BindingSetup>& all = rig.setup.bindings;

  std::string control(std::size_t row) const {
    const SlotId slot = all[row].slot;
    const std::string handset =
        rig.handsets.size() > 1 ? rig.handsets[index(rig.setup.controls[index(slot)].handset)] + " " : "";
    return handset + rig.slots[index(slot)].name;
  }
  bool word(std::size_t row) const { return gyrax::about(all[row].effect).word; }
  bool same_press(std::size_t a, std::size_t b) const {
    return all[a].slot == all[b].slot && all[a].layer == all[b].layer && all[a].gesture == all[b].gesture &&
           all[a].with == all[b].with && all[a].hold == all[b].hold;
  }
  bool touches(std::size_t row, SlotId slot) const {
    return all[row].slot == slot || std::ranges::find(all[row].with, slot) != all[row].with.end();
  }
};

void find_in_permits(Findings& f, const Bindings& b) {
  for (std::size_t i = 0; i < b.all.size(); ++i) {
    if (!b.word(i)) continue;
    for (std::size_t j = 0; j < b.all.size(); ++j) {
      if (j == i || !b.touches(j, b.all[i].slot) || !b.all[i].with.empty()) continue;
      // In a layer the control is another one, but for what counts in all of them.
      if (b.all[j].layer != b.all[i].layer && !about(b.all[i].effect).anywhere) continue;
      if (!b.word(j))
        f.at_binding(Found::permit_and_more, j,
                     fmt::format("'{}' {} as well", b.control(i),
                                 f.rig.bindings[i].sentence.substr(f.rig.bindings[i].sentence.rfind(": ") + 2)),
                     "another control for one of them");
      else if (j > i && b.all[j].slot == b.all[i].slot)
        f.at_binding(Found::two_words, j, fmt::format("'{}' gives the permit two words", b.control(i)),
                     "a control for each");
    }
  }
}

void find_twice(Findings& f, const Bindings& b) {
  for (std::size_t j = 0; j < b.all.size(); ++j)
    for (std::size_t i = 0; i < j; ++i) {
      if (b.word(i) || b.word(j) || !b.same_press(i, j)) continue;
      // Zeros of several axes are set at one place.
      if (b.all[i].as<effect::Zero>() && b.all[j].as<effect::Zero>()) continue;
      const auto *first = b.all[i].as<effect::Jog>(), *second = b.all[j].as<effect::Jog>();
      const bool both_jog = first != nullptr && second != nullptr;
      if (both_jog)
        f.at_binding(Found::two_axes, j,
                     fmt::format("'{}' jogs '{}' and '{}'", b.control(j), f.rig.axes[index(first->coordinate)].name,
                                 f.rig.axes[index(second->coordinate)].name),
                     "a control for each, a layer, or a pose of both");
      else
        f.at_binding(Found::two_effects, j, fmt::format("'{}' has two effects in one press", b.control(j)),
                     "a control, a gesture or a layer for each");
    }
}

void find_never(Findings& f, const Bindings& b) {
  for (std::size_t i = 0; i < b.all.size(); ++i) {
    const BindingSetup& one = b.all[i];
    const AboutEffect& is = about(one.effect);
    if (about(one.gesture).over && is.steady)
      f.at_binding(Found::over_at_once, i, f.rig.bindings[i].sentence, "a plain press, or the gesture hold");
    // What a layer that is always on binds anew.
    for (std::size_t j = 0; j < b.all.size() && one.layer == no<LayerId> && !is.anywhere; ++j) {
      const LayerId over = b.all[j].layer;
      if (b.all[j].slot != one.slot || over == no<LayerId>) continue;
      const LayerSetup& layer = f.rig.setup.layers[index(over)];
      const auto turns = [&](const BindingSetup& other) {
        const auto* e = other.as<effect::Layer>();
        return e != nullptr && e->layer == over && e->to != SwitchTo::on;
      };
      if (layer.held == no<SlotId> && layer.starts_on && std::ranges::none_of(b.all, turns)) {
        f.at_binding(Found::never_fires, i,
                     fmt::format("layer '{}' is on from the start and never off, and binds '{}' anew",
                                 f.rig.layers[index(over)], b.control(i)),
                     fmt::format("a key with {{ layer = \"{}\" }}, or no such line", f.rig.layers[index(over)]));
        break;
      }
    }
  }
}

void find_in_layers(Findings& f, const Bindings& b) {
  for (std::size_t l = 0; l < f.rig.layers.size(); ++l) {
    const LayerSetup& layer = f.rig.setup.layers[l];
    for (std::size_t i = 0; i < b.all.size(); ++i)
      if (layer.held != no<SlotId> && b.all[i].slot == layer.held && index(b.all[i].layer) != l &&
          !b.all[i].as<effect::Enable>())  // what else is done while it is enabled
        f.at_binding(Found::layer_key_bound, i,
                     fmt::format("'{}' holds a layer, and does something itself", b.control(i)),
                     "another control for one of them, or a gesture");
    std::optional<std::size_t> on;
    bool off = layer.held != no<SlotId>;
    for (std::size_t i = 0; i < b.all.size(); ++i)
      if (const auto* e = b.all[i].as<effect::Layer>(); e != nullptr && index(e->layer) == l) {
        if (e->to == SwitchTo::on) on = on.value_or(i);
        off = off || e->to != SwitchTo::on;
      }
    if (on && !off)
      f.at_binding(Found::layer_never_off, *on,
                   fmt::format("layer '{}' is turned on, and nothing turns it off", f.rig.layers[l]),
                   fmt::format("{{ layer = \"{}\" }}, which turns it on and off", f.rig.layers[l]));
  }
  const auto ends = [](const BindingSetup& one) {
    const auto* e = one.as<effect::Reduced>();
    return e != nullptr && e->to != SwitchTo::on;
  };
  if (f.rig.setup.notches.reduced.starts_on && f.rig.setup.notches.reduced.speed < 1 &&
      std::ranges::none_of(b.all, ends))
    f.at_key(Found::always_reduced, f.rig.origins.contains("reduced.start") ? "reduced.start" : "reduced.percent",
             {f.rig.path}, "reduced speed is on at first, and nothing turns it off",
             "a key with { reduced = \"toggle\" }, or start = \"off\"");
}

void find_in_switches(Findings& f, const Bindings& b) {
  for (std::size_t s = 0; s < f.rig.switches.size(); ++s) {
    const SwitchSetup& setup = f.rig.setup.switches[s];
    const std::string& name = f.rig.switches[s];
    bool on = setup.start_on, off = setup.pulse > Span{} || setup.max_on > Span{};
    std::optional<std::size_t> turns_on;
    for (std::size_t i = 0; i < b.all.size(); ++i)
      if (const auto* e = b.all[i].as<effect::Set>(); e != nullptr && index(e->target) == s) {
        on = on || e->to != SwitchTo::off;
        off = off || e->to != SwitchTo::on;
        if (e->to == SwitchTo::on) turns_on = turns_on.value_or(i);
      }
    const std::string both = fmt::format("a key with {{ set = \"{}\" }}, which turns it on and off", name);
    if (on && !off && turns_on)
      f.at_binding(Found::switch_never_off, *turns_on,
                   fmt::format("'{}' turns {} on, and nothing turns it off", b.control(*turns_on), name), both);
    if (on && !off && !turns_on)
      f.at_key(Found::switch_never_off, "switch." + name + ".start", {f.rig.path},
               fmt::format("{} is on at first, and nothing turns it off", name), both);
    if (on) continue;
    f.at_key(Found::switch_never_on, "switch." + name, {f.rig.path}, fmt::format("nothing turns {} on", name), both);
    for (std::size_t a = 0; a < f.rig.axes.size(); ++a)
      if (std::ranges::find(f.rig.setup.axes[a].needs, id_at<SwitchId>(s)) != f.rig.setup.axes[a].needs.end())
        f.at_key(Found::needs_never_on, "axis." + f.rig.axes[a].name + ".needs", f.rig.axes[a].origin,
                 fmt::format("'{}' needs {}, and nothing turns that on", f.rig.axes[a].name, name), both);
  }
}

/// Which ways a list of notches can go, and where the first line stands that moves it.
struct Ways {
  bool up = false, down = false;
  std::optional<std::size_t> first;
};

void find_in_lists(Findings& f, const Bindings& b) {
  const NotchSetup& notches = f.rig.setup.notches;
  const bool chosen_adjusts = std::ranges::any_of(b.all, [](const BindingSetup& one) {
    const auto* e = one.as<effect::Adjust>();
    return e != nullptr && !e->number;
  });
  for (std::size_t n = 0; n < notches.numbers.size(); ++n) {
    const NumberId id = id_at<NumberId>(n);
    Ways ways;
    bool both = false;
    for (std::size_t i = 0; i < b.all.size(); ++i) {
      const auto go = [&](int by) {
        ways.up = ways.up || by > 0;
        ways.down = ways.down || by < 0;
        ways.first = ways.first.value_or(i);
      };
      const bool counts = f.rig.setup.controls[index(b.all[i].slot)].calibration.kind() == ControlKind::counts;
      if (const auto* e = b.all[i].as<effect::Override>(); e != nullptr && e->number == id)
        e->percent ? both = true, void() : go(e->by);
      if (const auto* e = b.all[i].as<effect::Increment>(); e != nullptr && e->number == id)
        e->value ? both = true, void() : go(e->by);
      if (const auto* e = b.all[i].as<effect::Adjust>(); e != nullptr && e->number == id)
        counts ? both = true, void() : go(e->by);
      if (const auto* e = b.all[i].as<effect::Choose>(); e != nullptr && chosen_adjusts)
        both = both || std::ranges::find(e->numbers, id) != e->numbers.end();
    }
    // A number that holds the same list may go the other way.
    if (both || !ways.first || ways.up == ways.down) continue;
    f.at_binding(Found::one_way, *ways.first,
                 fmt::format("{} goes {} only", f.rig.numbers[n].name, ways.up ? "up" : "down"),
                 fmt::format("a key for {} as well, or hat.y for both", ways.up ? "down" : "up"));
  }
  const auto is_out_of_order = [](const auto& values) {
    return std::ranges::adjacent_find(values, [](const auto& a, const auto& c) { return !(a < c); }) != values.end();
  };
  for (std::size_t n = 0; n < f.rig.numbers.size(); ++n) {
    const OverrideId override = notches.numbers[n].override;
    if (override == no<OverrideId> || !is_out_of_order(notches.overrides[index(override)].values)) continue;
    const Origin& at = f.rig.numbers[n].origin;
    f.at_key(Found::out_of_order, f.rig.numbers[n].name == "override" ? "override.notches" : "", at,
             fmt::format("the notches of {} do not rise", f.rig.numbers[n].name), "each once, the least first");
  }
  for (std::size_t a = 0; a < f.rig.axes.size(); ++a)
    if (is_out_of_order(notches.increments[a].values))
      f.at_key(Found::out_of_order, "axis." + f.rig.axes[a].name + ".increments", f.rig.axes[a].origin,
               fmt::format("the increments of {} do not rise", f.rig.axes[a].name), "each once, the least first");
}

void find_in_deflections(Findings& f, const Bindings& b) {
  constexpr double wide = 0.5, tiny = 0.01;
  for (std::size_t i = 0; i < b.all.size(); ++i) {
    const ControlSetup& control = f.rig.setup.controls[index(b.all[i].slot)];
    const auto* jog = b.all[i].as<effect::Jog>();
    if (b.all[i].as<effect::Follow>() && control.calibration.kind() == ControlKind::centred)
      f.at_binding(Found::springs_back, i, fmt::format("'{}' is followed", b.control(i)),
                   "a throttle, a knob or a trigger; or { jog = … }");
    if (jog != nullptr && std::abs(jog->share) < tiny)
      f.at_binding(Found::tiny_share, i,
                   fmt::format("'{}' jogs at {:g} % of the speed", b.control(i), std::abs(jog->share) * 100),
                   "share is in percent: share = 100 is all of it");
    if (about(b.all[i].effect).by_deflection && control.shape.zone.inner >= wide && !control.is_second_of_pair)
      f.at_binding(Found::wide_dead_zone, i,
                   fmt::format("the dead zone of '{}' is {:g} %", b.control(i), control.shape.zone.inner * 100),
                   "5 to 15 %, or what gyrax calibrate measures");
  }
}

/// The axis that a half of a stick jogs in the base layer.
std::optional<AxisId> jogged_by(const Bindings& b, SlotId slot) {
  for (const BindingSetup& one : b.all)
    if (const auto* jog = one.as<effect::Jog>(); jog != nullptr && one.slot == slot && one.layer == no<LayerId>)
      return id_at<AxisId>(index(jog->coordinate));
  return std::nullopt;
}

void find_in_pairs(Findings& f, const Bindings& b) {
  for (std::size_t s = 0; s < f.rig.slots.size(); ++s) {
    const ControlSetup& control = f.rig.setup.controls[s];
    if (control.partner == no<SlotId> || control.is_second_of_pair || control.shape.straight.inner > 0) continue;
    // Four contacts are straight by themselves.
    if (control.calibration.maximum() - control.calibration.minimum() <= 2) continue;
    const auto x = jogged_by(b, id_at<SlotId>(s)), y = jogged_by(b, control.partner);
    if (!x || !y || x == y) continue;
    for (const GroupSetup& group : f.rig.setup.groups)
      if (std::ranges::find(group.axes, *x) != group.axes.end() &&
          std::ranges::find(group.axes, *y) != group.axes.end()) {
        const std::string& half = f.rig.slots[s].name;
        const std::string stick = half.substr(0, half.rfind('.'));
        for (std::size_t i = 0; i < b.all.size(); ++i)
          if (b.all[i].slot == id_at<SlotId>(s) && b.all[i].as<effect::Jog>() && b.all[i].layer == no<LayerId>)
            f.at_binding(Found::crooked_pair, i,
                         fmt::format("'{}' jogs {} and {} of one group, and straight pushes are not kept straight",
                                     stick, f.rig.axes[index(*x)].name, f.rig.axes[index(*y)].name),
                         fmt::format("[handset.…] control.\"{}\" = {{ straight = 15 }}", stick));
      }
  }
}

}  // namespace

void find_in_bindings(Findings& f) {
  const Bindings b{f.rig};
  find_in_permits(f, b);
  find_twice(f, b);
  find_never(f, b);
  find_in_layers(f, b);
  find_in_switches(f, b);
  find_in_lists(f, b);
  find_in_deflections(f, b);
  find_in_pairs(f, b);
}

}  // namespace gyrax
