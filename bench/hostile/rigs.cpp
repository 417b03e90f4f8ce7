// Random rigs, written as text with everything a rig can say.
#include "../random.hpp"
#include "plan.hpp"

#include <gyrax/handset/controls.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <iterator>
#include <map>
#include <utility>

namespace gyrax::bench {
namespace {

using Effect = BindingPlan::Effect;
using Gesture = BindingPlan::Gesture;
using Kind = ControlPlan::Kind;

class Writer {
 public:
  explicit Writer(Random& random) : random_(random) {}

  RigPlan write() {
    begin();
    for (int a = random_.whole(1, 5); a > 0; --a) add_axis();
    add_groups();
    for (int h = random_.whole(1, 3); h > 0; --h) add_handset();
    add_stations();
    for (std::size_t h = 0; h < plan_.handsets.size(); ++h) bind_handset(static_cast<int>(h));
    add_handset_tables();
    const std::string lines = bindings();
    // Some layer is on from the start, and so is one that nothing turns on.
    plan_.layer_starts_on = layer_ && (!latched_ || random_.chance(0.2));
    if (layer_) say("[layer.other]\nstart = \"{}\"\n", plan_.layer_starts_on ? "on" : "off");
    plan_.text = text_ + controls_ + lines;
    return plan_;
  }

 private:
  template <class... Args>
  void say(fmt::format_string<Args...> format, Args&&... args) {
    fmt::format_to(std::back_inserter(text_), format, std::forward<Args>(args)...);
  }

  void begin() {
    const double periods[] = {0.5, 1, 2, 2, 5, 10};
    plan_.period_s = periods[random_.whole(0, 5)] / 1e3;
    plan_.max_s = std::max(0.02, 5 * plan_.period_s);
    plan_.links = random_.whole(1, 2);
    plan_.zones = random_.chance(0.25) ? 2 : 1;
    plan_.silence_s = random_.chance(0.5) ? 0.1 : 0.2;
    say("gyrax = 1\n[tick]\nperiod_ms = {}\n", plan_.period_s * 1e3);
    for (int l = 0; l < plan_.links; ++l)
      say("[link.{}]\nkind = \"simulated\"\nsilence_ms = {}\n", l == 0 ? "near" : "far", plan_.silence_s * 1e3);
    if (plan_.zones > 1) say("[zone.left]\n[zone.right]\n");
    plan_.hold_to_run = plan_.zones == 1 && random_.chance(0.2);
    if (plan_.hold_to_run) say("[zone.main]\nhold_to_run = true\n");
    stops();
    say("[override]\nnotches = [{}, 50, 100]\nstart = {}\n", random_.chance(0.3) ? 0.1 : 10,
        random_.chance(0.5) ? 50 : 100);
    if (random_.chance(0.5)) {
      reduced_ = true;
      plan_.reduced_share = random_.in(0.05, 0.5);
      say("[reduced]\npercent = {}\nstart = \"{}\"\n", plan_.reduced_share * 100, random_.chance(0.3) ? "on" : "off");
    }
    if (random_.chance(0.4)) {
      layer_ = true;
    }
    for (int s = random_.whole(0, 2); s > 0; --s) add_switch();
  }

  void stops() {
    const char* const names[] = {"enable_released", "enable_squeezed", "let_go",      "stop_key",       "stow",
                                 "program_ends",    "handset_gone",    "link_silent", "following_error"};
    bool headed = false;
    for (std::size_t i = 0; i < RigPlan::causes; ++i) {
      if (!random_.chance(i == RigPlan::stow || i == RigPlan::handset_gone ? 0.5 : 0.3)) continue;
      if (!headed) say("[stops]\n");
      headed = true;
      plan_.category[i] = random_.whole(0, 2);
      say("{} = {}\n", names[i], plan_.category[i]);
    }
  }

  std::string zone_key(int zone) const {
    return plan_.zones > 1 ? fmt::format("zone = \"{}\"\n", zone == 0 ? "left" : "right") : "";
  }
  std::string link_key(int link) const {
    return plan_.links > 1 ? fmt::format("link = \"{}\"\n", link == 0 ? "near" : "far") : "";
  }

  void add_switch() {
    SwitchPlan s;
    s.name = fmt::format("switch{}", plan_.switches.size());
    s.zone = random_.whole(0, plan_.zones - 1);
    s.link = random_.whole(0, plan_.links - 1);
    const char* const words[] = {"off", "on", "keep"};
    s.start_on = random_.chance(0.5);
    const auto becomes = [&] { return static_cast<SwitchPlan::Becomes>(random_.whole(0, 2)); };
    s.otherwise = becomes();
    s.handset_lost = becomes();
    s.link_silent = becomes();
    s.released = becomes();
    const auto word = [&](SwitchPlan::Becomes one) { return words[static_cast<int>(one)]; };
    say("[switch.{}]\nstart = \"{}\"\nbecomes = {{ otherwise = \"{}\", handset_gone = \"{}\", handset_gap = \"{}\", "
        "link_silent = \"{}\", enable_released = \"{}\", enable_squeezed = \"{}\", let_go = \"{}\" }}\n{}{}",
        s.name, s.start_on ? "on" : "off", word(s.otherwise), word(s.handset_lost), word(s.handset_lost),
        word(s.link_silent), word(s.released), word(s.released), word(s.released), zone_key(s.zone), link_key(s.link));
    plan_.switches.push_back(s);
  }

  void add_axis() {
    AxisPlan a;
    a.name = fmt::format("a{}", plan_.axes.size());
    const int kinds[] = {0, 0, 0, 1, 2, 3, 3, 4};
    a.kind = static_cast<AxisPlan::Kind>(kinds[random_.whole(0, 7)]);
    const bool motor = a.kind == AxisPlan::Kind::motor;
    a.low = a.kind == AxisPlan::Kind::servo ? random_.in(-50, -10) : random_.in(-200, 0);
    a.high = a.low + random_.scale(20, a.kind == AxisPlan::Kind::servo ? 60 : 600);
    if (motor || a.kind == AxisPlan::Kind::endless) a.low = -4e9, a.high = 4e9;
    a.speed = motor ? random_.in(20, 100) : random_.scale(2, 400);
    a.accel = a.speed / random_.scale(0.03, 1);
    a.jerk = a.accel / random_.scale(0.01, 0.5);
    a.decel = a.accel * random_.scale(0.3, 4);
    a.decel_jerk = a.decel / random_.scale(0.005, 0.2);
    a.zone = random_.whole(0, plan_.zones - 1);
    a.link = random_.whole(0, plan_.links - 1);
    say("[axis.{}]\nspeed = {}\naccel = {}\ndecel = {}\njerk = {{ accel = {}, decel = {} }}\n{}{}", a.name, a.speed,
        a.accel, a.decel, a.jerk, a.decel_jerk, zone_key(a.zone), link_key(a.link));
    if (motor) {
      a.rest_s = random_.chance(0.5) ? random_.in(0.01, 0.3) : 0;
      say("unit = \"%\"\nmotor = {{ dead_band = {}, rest_ms = {} }}\n", random_.whole(0, 20), a.rest_s * 1e3);
    } else if (a.kind == AxisPlan::Kind::endless) {
      say("unit = \"deg\"\ntravel = \"endless\"\n");
    } else {
      say("unit = \"mm\"\ntravel = [{}, {}]\n", a.low, a.high);
    }
    if (a.kind == AxisPlan::Kind::servo)
      say("servo = {{ ends = [{}, {}], pulse_us = [900, 2100] }}\n", std::min(-60.0, a.low - 1),
          std::max(60.0, a.high + 1));
    if (a.kind == AxisPlan::Kind::assumed) say("position = \"assumed\"\n");
    if (a.kind == AxisPlan::Kind::assumed || a.kind == AxisPlan::Kind::servo) {
      a.start = random_.in(a.low, a.high);
      say("start = {}\n", a.start);
    }
    a.following_error = a.speed * 0.1;
    if (!motor) {
      const double step = random_.chance(0.1) ? 4e9 : random_.scale(0.001, 2);
      say("increments = [0.01, {}]\n", step);
    }
    if (random_.chance(0.2)) {
      a.share = 0.1;
      say("[axis.{}.override]\nnotches = [10]\nstart = 10\n", a.name);
    }
    plan_.axes.push_back(a);
    need(static_cast<int>(plan_.axes.size()) - 1);
  }

  void need(int a) {
    if (plan_.switches.empty() || !random_.chance(0.3)) return;
    const int target = random_.whole(0, static_cast<int>(plan_.switches.size()) - 1);
    plan_.axes[static_cast<std::size_t>(a)].needs = {target};
    const std::string head = fmt::format("[axis.{}]\n", plan_.axes[static_cast<std::size_t>(a)].name);
    text_.replace(text_.find(head), head.size(),
                  head + fmt::format("needs = [\"{}\"]\n", plan_.switches[static_cast<std::size_t>(target)].name));
  }

  /// Axes of one zone, at most three together; motors alone.
  void add_groups() {
    for (int zone = 0; zone < plan_.zones; ++zone) {
      std::vector<int> free;
      for (std::size_t a = 0; a < plan_.axes.size(); ++a)
        if (plan_.axes[a].zone == zone && plan_.axes[a].kind != AxisPlan::Kind::motor)
          free.push_back(static_cast<int>(a));
      if (free.size() < 2 || !random_.chance(0.7)) continue;
      GroupPlan group;
      group.axes.assign(free.begin(), free.begin() + std::min<std::ptrdiff_t>(static_cast<std::ptrdiff_t>(free.size()),
                                                                              random_.whole(2, 3)));
      double fastest = 0;
      std::string names, all, some;
      for (const int a : group.axes) {
        AxisPlan& axis = plan_.axes[static_cast<std::size_t>(a)];
        axis.group = static_cast<int>(plan_.groups.size());
        fastest = std::max(fastest, axis.speed);
        names += fmt::format("{}\"{}\"", names.empty() ? "" : ", ", axis.name);
        const bool wide = axis.kind == AxisPlan::Kind::endless;
        const double to = wide                  ? random_.in(-90, 90)
                          : random_.chance(0.2) ? axis.high
                                                : random_.in(axis.low, axis.high);
        all += fmt::format("{} = {}\n", axis.name, to);
        if (a == group.axes.front())
          some = fmt::format("{} = {}\n", axis.name, random_.chance(0.5) ? to : wide ? 0 : axis.low);
      }
      group.together = random_.chance(0.1);
      say("[group.g{}]\naxes = [{}]\n", plan_.groups.size(), names);
      // Some creep: slower than any share of a speed that an axis is given.
      const double least = random_.chance(0.2) ? 1e-7 : 0.0005;
      if (random_.chance(0.5))
        say("path_speed = {}\n", group.path_speed = fastest * random_.scale(least, least < 1e-6 ? 1e-5 : 1.5));
      if (reduced_ && random_.chance(0.3))
        say("reduced_speed = {}\n", group.reduced_speed = fastest * random_.scale(0.01, 0.5));
      if (group.together) say("together = true\n");
      say("[pose.whole{}]\n{}[pose.part{}]\n{}", plan_.groups.size(), all, plan_.groups.size(), some);
      plan_.groups.push_back(group);
    }
  }

  void add_handset() {
    HandsetPlan h;
    h.name = fmt::format("hand{}", plan_.handsets.size());
    h.steadily = random_.chance(0.2);
    h.max_steady_s = random_.chance(0.3) ? random_.whole(10, 20) * 0.1 : 0;
    for (const char* name :
         {"stick.left.x",  "stick.left.y",   "stick.right.x", "stick.right.y", "trigger.left", "trigger.right",
          "throttle",      "pedal.left",     "dial.1",        "dial.2",        "hat.left",     "hat.right",
          "hat.up",        "hat.down",       "face.south",    "face.east",     "face.north",   "face.west",
          "shoulder.left", "shoulder.right", "menu.left",     "menu.right",    "menu.centre",  "thumb.left",
          "thumb.right",   "key.kp0",        "key.kp1",       "key.kp2",       "key.kp3",      "key.kp4"}) {
      const ControlName* control = find_control(name);
      const Kind kind = control->kind == ControlKind::key       ? Kind::key
                        : control->kind == ControlKind::counts  ? Kind::dial
                        : control->kind == ControlKind::centred ? Kind::stick
                                                                : Kind::lever;
      h.controls.push_back(
          {name, static_cast<std::uint16_t>(control->id), kind, kind == Kind::key && random_.chance(0.05) ? 0.008 : 0});
    }
    free_.push_back({});
    for (std::size_t c = 0; c < h.controls.size(); ++c) free_.back().push_back(static_cast<int>(c));
    plan_.handsets.push_back(h);
  }

  void add_stations() {
    if (plan_.handsets.size() < 2 || !random_.chance(0.4)) return;
    plan_.handsets[0].station = plan_.handsets[1].station = 0;
    say("[station.both]\nhandsets = [\"hand0\", \"hand1\"]\n");
  }

  /// A control of a kind that nothing uses yet; -1 if there is none.
  int take(int h, Kind kind) {
    auto& free = free_[static_cast<std::size_t>(h)];
    std::vector<int> fitting;
    for (const int c : free)
      if (plan_.handsets[static_cast<std::size_t>(h)].controls[static_cast<std::size_t>(c)].kind == kind)
        fitting.push_back(c);
    if (fitting.empty()) return -1;
    const int chosen = random_.one_of(fitting);
    free.erase(std::find(free.begin(), free.end(), chosen));
    return chosen;
  }

  const std::string& name_of(int h, int c) const {
    return plan_.handsets[static_cast<std::size_t>(h)].controls[static_cast<std::size_t>(c)].name;
  }

  /// Writes one binding: what its table says, `layer` as layer() gives it; `control` names a virtual one where it is
  /// not the plan's own.
  void bind(BindingPlan b, std::string effect, const std::string& layer = "", const std::string& control = "") {
    const char* const gestures[] = {"", ".release", ".tap", ".double_tap", ".hold", ""};
    using Layer = BindingPlan::Layer;
    b.layer = layer.empty() ? Layer::base : layer.starts_with("in") ? Layer::latched : Layer::held;
    std::string named = control.empty() ? name_of(b.handset, b.control) : control;
    if (b.gesture == Gesture::chord) named += " + " + name_of(b.handset, b.with.front());
    if (b.gesture == Gesture::hold) effect += fmt::format(", hold_s = {}", random_.chance(0.5) ? 0.3 : 0.6);
    lines_[static_cast<std::size_t>(b.handset)][layer.empty() ? "bind" : layer] +=
        fmt::format("\"{}\"{} = {{ {} }}\n", named, gestures[static_cast<int>(b.gesture)], effect);
    auto& controls = plan_.handsets[static_cast<std::size_t>(b.handset)].controls;
    controls[static_cast<std::size_t>(b.control)].used = true;
    for (const int other : b.with) controls[static_cast<std::size_t>(other)].used = true;
    plan_.bindings.push_back(b);
  }

  /// The lines of all handsets; the plan's bindings come in the order of the lines.
  std::string bindings() {
    std::string all;
    for (std::size_t h = 0; h < lines_.size(); ++h)
      for (const char* kind : {"bind", "while", "in"})
        for (const auto& [table, lines] : lines_[h])
          if (table.starts_with(kind)) all += fmt::format("[handset.hand{}.{}]\n{}", h, table, lines);
    const auto place = [](const BindingPlan& b) { return std::pair(b.handset, b.layer); };
    std::stable_sort(plan_.bindings.begin(), plan_.bindings.end(),
                     [&](const BindingPlan& a, const BindingPlan& b) { return place(a) < place(b); });
    return all;
  }

  void permit(int h, Effect effect, const char* word) {
    BindingPlan b{.effect = effect, .handset = h};
    const bool enables = effect == Effect::enable, lever = enables ? random_.chance(0.35) : random_.chance(0.05);
    b.control = take(h, lever ? Kind::lever : Kind::key);
    if (b.control < 0) b.control = take(h, Kind::key);
    const bool is_lever =
        plan_.handsets[static_cast<std::size_t>(h)].controls[static_cast<std::size_t>(b.control)].kind == Kind::lever;
    std::string more;
    if (enables && is_lever && random_.chance(0.7)) {
      b.squeeze = 0.8;
      more = ", squeeze = 80";
    }
    if (effect != Effect::stop && effect != Effect::ready_or_stow && random_.chance(0.3)) {
      const Gesture some[] = {Gesture::hold, Gesture::double_tap, Gesture::hold, Gesture::tap};
      b.gesture = some[random_.whole(0, enables || effect == Effect::reset ? 2 : 3)];
    }
    if (enables && !is_lever && b.gesture == Gesture::press && random_.chance(0.15)) {
      const int with = take(h, Kind::key);
      if (with >= 0) {
        b.gesture = Gesture::chord;
        b.with = {with};
      }
    }
    bind(b, fmt::format("{} = \"all\"{}", word, more));
  }

  void bind_handset(int h) {
    const bool one_key = random_.chance(plan_.hold_to_run ? 0.5 : 0.05);
    one_key ? permit(h, Effect::ready_or_stow, "ready_or_stow") : permit(h, Effect::ready, "ready");
    if (!plan_.hold_to_run) permit(h, Effect::enable, "enable");
    if (!one_key || random_.chance(0.5)) permit(h, Effect::stop, "stop");
    if (!one_key) permit(h, Effect::reset, "reset");
    if (random_.chance(0.5)) permit(h, Effect::stow, "stow");
    if (!plan_.hold_to_run && random_.chance(0.1)) permit(h, Effect::enable, "enable");
    in_base_ = plan_.hold_to_run;
    held_ = random_.chance(0.5) ? take(h, Kind::key) : -1;
    for (std::size_t a = 0; a < plan_.axes.size(); ++a)
      for (int n = random_.whole(h == 0 ? 1 : 0, 3); n > 0; --n) move(h, static_cast<int>(a));
    for (std::size_t g = 0; g < plan_.groups.size(); ++g)
      for (int n = random_.whole(0, 2); n > 0; --n) pose(h, static_cast<int>(g));
    for (std::size_t s = 0; s < plan_.switches.size(); ++s) set(h, static_cast<int>(s));
    others(h);
  }

  std::string layer() {
    if (std::exchange(in_base_, false)) return "";
    if (held_ >= 0 && random_.chance(0.15)) return fmt::format("while.\"{}\"", name_of(current_, held_));
    return layer_ && random_.chance(0.15) ? "in.other" : "";
  }

  Gesture key_gesture() { return random_.chance(0.65) ? Gesture::press : static_cast<Gesture>(random_.whole(1, 4)); }

  /// Of what moves: in a zone that is hold to run none that is over as it begins.
  Gesture held_gesture() {
    const Gesture any = key_gesture();
    const bool lasts = any == Gesture::press || any == Gesture::hold || any == Gesture::double_tap;
    return lasts || !plan_.hold_to_run ? any : Gesture::press;
  }

  void move(int h, int a) {
    current_ = h;
    const AxisPlan& axis = plan_.axes[static_cast<std::size_t>(a)];
    if (axis.group >= 0 && plan_.groups[static_cast<std::size_t>(axis.group)].together) return;
    const bool motor = axis.kind == AxisPlan::Kind::motor;
    BindingPlan b{.handset = h, .axes = {a}};
    int what = motor ? random_.whole(0, 2) : random_.whole(0, 9);
    if (plan_.hold_to_run && what >= 4 && what <= 7) what = random_.chance(0.5) ? 2 : 8;
    std::string effect;
    if (what <= 1) {
      b.control = take(h, random_.chance(0.7) ? Kind::stick : Kind::lever);
      effect =
          fmt::format("jog = \"{}{}\", share = {}", random_.chance(0.3) ? "-" : "", axis.name, random_.whole(20, 100));
    } else if (what <= 3) {
      b.control = take(h, Kind::key);
      b.gesture = held_gesture();
      effect = fmt::format("jog = \"{}{}\"{}", random_.chance(0.5) ? "-" : "", axis.name,
                           random_.chance(0.3) ? ", stages = [[0, 10], [0.3, 100]]" : "");
    } else if (what <= 5) {
      b.effect = Effect::step;
      b.control = take(h, Kind::key);
      b.gesture = key_gesture();
      effect = fmt::format("step = \"{}", random_.chance(0.05)  ? axis.name + "\", by = 1000"
                                          : random_.chance(0.5) ? axis.name + "\""
                                                                : "-" + axis.name + "\", by = 3");
      const bool repeats = b.gesture == Gesture::press || b.gesture == Gesture::hold;
      if (repeats && random_.chance(0.3)) effect += ", repeat = [[0.2, 20]]";
    } else if (what == 6) {
      b.effect = Effect::wheel;
      b.control = take(h, Kind::dial);
      effect = fmt::format("handwheel = \"{}\"{}", axis.name, random_.chance(0.4) ? ", max_owed = 0.5" : "");
    } else if (what == 7) {
      follow(h, a);
      return;
    } else {
      b.effect = Effect::go;
      b.control = take(h, Kind::key);
      b.gesture = held_gesture();
      const bool wide = axis.kind == AxisPlan::Kind::endless;
      effect =
          fmt::format("go = \"{}\", to = {}", axis.name, wide ? random_.in(-90, 90) : random_.in(axis.low, axis.high));
    }
    if (b.control >= 0) bind(b, effect, layer());
  }

  void follow(int h, int a, const std::string& in = "") {
    const bool again = in.empty();
    const AxisPlan& axis = plan_.axes[static_cast<std::size_t>(a)];
    BindingPlan b{.effect = Effect::follow, .handset = h, .axes = {a}};
    b.control = take(h, Kind::lever);
    if (b.control < 0) return;
    const bool wide = axis.kind == AxisPlan::Kind::endless;
    b.low = wide ? -90 : axis.low;
    b.high = wide ? 90 : axis.high;
    b.catch_up = axis.speed * 0.1;
    const bool reversed = random_.chance(0.3);
    bind(b,
         fmt::format("follow = \"{}{}\", range = [{}, {}], catch_up = {}", reversed ? "-" : "", axis.name, b.low,
                     b.high, b.catch_up),
         again ? layer() : in);
    if (reversed) std::swap(plan_.bindings.back().low, plan_.bindings.back().high);
    followed_.push_back({h, b.control});
    // Another one that takes over in a layer.
    if (again && layer_ && random_.chance(0.7)) follow(h, a, "in.other");
  }

  void pose(int h, int g) {
    current_ = h;
    const GroupPlan& group = plan_.groups[static_cast<std::size_t>(g)];
    const bool whole = group.together || random_.chance(0.6);
    BindingPlan b{.effect = Effect::pose, .handset = h, .axes = group.axes};
    if (!whole) b.axes = {group.axes.front()};
    b.control = take(h, Kind::key);
    b.gesture = held_gesture();
    if (b.control >= 0) bind(b, fmt::format("pose = \"{}{}\"", whole ? "whole" : "part", g), layer());
  }

  void set(int h, int s) {
    current_ = h;
    BindingPlan b{.effect = Effect::set, .handset = h, .target = s, .momentary = random_.chance(0.4)};
    b.control = take(h, Kind::key);
    const char* const words[] = {"toggle", "on", "off"};
    if (!b.momentary) b.gesture = key_gesture();
    const char* word = b.momentary ? "momentary" : words[random_.whole(0, 2)];
    if (b.control >= 0)
      bind(b, fmt::format("set = \"{}\", to = \"{}\"", plan_.switches[static_cast<std::size_t>(s)].name, word),
           b.momentary ? "" : layer());
  }

  void others(int h) {
    const auto add = [&](Effect effect, const std::string& text, bool momentary = false) {
      BindingPlan b{.effect = effect, .handset = h, .momentary = momentary};
      b.control = take(h, Kind::key);
      if (b.control >= 0) bind(b, text);
      latched_ = latched_ || (b.control >= 0 && effect == Effect::layer);
    };
    if (random_.chance(0.4)) add(Effect::number, "override = \"up\"");
    if (random_.chance(0.4)) add(Effect::number, "override = \"down\"");
    if (reduced_ && random_.chance(0.5)) add(Effect::reduced, "reduced = \"momentary\"", true);
    if (reduced_ && random_.chance(0.4)) add(Effect::reduced, "reduced = \"toggle\"");
    if (layer_ && random_.chance(0.5))
      add(Effect::layer, random_.chance(0.5) ? "layer = \"other\"" : "layer = \"other\", to = \"momentary\"");
  }

  void add_handset_tables() {
    auto out = std::back_inserter(controls_);
    for (std::size_t h = 0; h < plan_.handsets.size(); ++h) {
      const HandsetPlan& handset = plan_.handsets[h];
      const std::string steady =
          handset.max_steady_s > 0 ? fmt::format("max_steady_s = {}\n", handset.max_steady_s) : "";
      fmt::format_to(out, "[handset.{}]\n{}{}[handset.{}.control]\n", handset.name,
                     handset.steadily ? "reports = \"steadily\"\n" : "", steady, handset.name);
      for (std::size_t c = 0; c < handset.controls.size(); ++c) {
        const ControlPlan& control = handset.controls[c];
        const bool followed = std::find(followed_.begin(), followed_.end(),
                                        std::pair(static_cast<int>(h), static_cast<int>(c))) != followed_.end();
        if (control.kind == Kind::stick)
          fmt::format_to(out, "\"{}\" = {{ minimum = -{}, centre = 0, maximum = {}, dead_zone = {}{} }}\n",
                         control.name, full_raw, full_raw, dead_raw * 100 / full_raw,
                         random_.chance(0.1) ? ", expo = 30" : "");
        if (control.kind == Kind::lever)
          fmt::format_to(out, "\"{}\" = {{ minimum = 0, maximum = {}, dead_zone = {} }}\n", control.name, full_raw,
                         followed ? 0 : dead_raw * 100 / full_raw);
        if (control.kind == Kind::dial && random_.chance(0.3))
          fmt::format_to(out, "\"{}\" = {{ detent = 4 }}\n", control.name);
        if (control.debounce_s > 0) fmt::format_to(out, "\"{}\" = {{ debounce_ms = 8 }}\n", control.name);
      }
    }
  }

  Random& random_;
  RigPlan plan_;
  std::string text_, controls_;
  std::array<std::map<std::string, std::string>, 3> lines_;  // of each handset, by table
  std::vector<std::vector<int>> free_;
  std::vector<std::pair<int, int>> followed_;
  int held_ = -1, current_ = 0;
  bool reduced_ = false, layer_ = false, latched_ = false;
  bool in_base_ = false;  // the next that moves is in no layer
};

}  // namespace

RigPlan random_rig(Random& random) { return Writer(random).write(); }

}  // namespace gyrax::bench
