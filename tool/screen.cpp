#include "screen.hpp"

#include "pieces.hpp"

#include <gyrax/handset/controls.hpp>
#include <gyrax/rig/words.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>

namespace gyrax::tool {
namespace {

double tidy(double value) { return std::abs(value) < 5e-4 ? 0 : value; }

/// What the axis does, or what holds it.
Piece doing(const Rig& rig, const AxisView& axis) {
  const AxisStatus& why = axis.why;
  const bool is_led = why.blocked.what == Interlock::action_runs && !why.asked;
  if (is_led) return {fmt::format("moved by {}", rig.actions[index(why.blocked.action)].name), Style::good};
  if (axis.command.v != 0 || why.blocked.what == Interlock::none) {
    if (why.blocked.what == Interlock::stopping)
      return {fmt::format("stops: {}", about(why.cause).sentence), Style::warn};
    std::string by = axis.request.by == no<SlotId> ? "" : fmt::format(" by {}", rig.slots[index(axis.request.by)].name);
    switch (axis.request.rank()) {
      case Request::Rank::pose: return {fmt::format("goes to its pose{}", by), Style::good};
      case Request::Rank::go: return {fmt::format("goes{}", by), Style::good};
      case Request::Rank::follow: return {fmt::format("follows{}", by), Style::good};
      case Request::Rank::jog: return {fmt::format("jogs {:+.0f} %{}", axis.request.jog * 100, by), Style::good};
      case Request::Rank::nothing: break;
    }
    return {axis.command.v != 0 ? "moves on to its goal, or to rest" : "", Style::good};
  }
  if (why.blocked.what == Interlock::unasked) return {"at rest", Style::dim};
  // The whole sentence and the way out stand below the table.
  std::string name = about(why.blocked.what).name;
  std::replace(name.begin(), name.end(), '_', ' ');
  return {fmt::format("blocked: {}", name), why.asked ? Style::bad : Style::dim};
}

/// Where it stands, counted from the person's own zero; nothing where that is the machine's.
Piece own_place(double stands, Nano zero, const std::string& unit) {
  if (zero == 0) return {""};
  return {fmt::format("own {:+.3f} {}   ", tidy(stands - from_nano(zero)), unit), Style::strong};
}

bool is_key(const ControlName& control) { return control.kind == ControlKind::key; }

class Composer {
 public:
  Composer(const Scene& scene, std::size_t columns, std::size_t rows) : scene_(scene), columns_(columns), rows_(rows) {}

  std::vector<Line> compose() {
    head();
    if (scene_.rig != nullptr && scene_.run != nullptr) {
      run();
      axes();
      ways_out();
      inputs(lines_.size() + rows_ / 4);
    }
    const std::size_t happened = scene_.run != nullptr ? static_cast<std::size_t>(scene_.run->events_so_far) : 0;
    const std::size_t events = scene_.run != nullptr ? std::min({std::size_t{6}, rows_ / 5, happened + 2}) : 0;
    const std::size_t room = rows_ > lines_.size() + events + 1 ? rows_ - lines_.size() - events : 0;
    handsets(room);
    if (events > 0) last_events(events);
    if (lines_.size() > rows_) lines_.resize(rows_);
    return std::move(lines_);
  }

 private:
  void add(Line line) { lines_.push_back(fitted_line(std::move(line), columns_)); }
  void rule(const std::string& title) {
    std::string text = fmt::format("─ {} ", title);
    while (width_of(text) < columns_) text += "─";
    add({{text, Style::dim}});
  }

  void head() {
    Line line{{scene_.title, Style::strong}};
    if (scene_.hands != nullptr && scene_.hands->recording) line.push_back({"   ● recording", Style::bad});
    const std::string keys = fmt::format("{:.1f} s   {}", scene_.time_s, scene_.keys);
    std::size_t used = 0;
    for (const Piece& piece : line) used += width_of(piece.text);
    const std::size_t width = width_of(keys);
    line.push_back({std::string(used + width + 1 < columns_ ? columns_ - used - width : 1, ' ') + keys, Style::dim});
    add(line);
    if (scene_.typing) typing();
    for (const std::string& fact : scene_.facts) add({{fact, Style::dim}});
  }

  /// What is typed of an action's name, and what it may become.
  void typing() {
    std::string names;
    for (const ActionInfo& action : scene_.rig->actions)
      if (action.name.starts_with(*scene_.typing)) names += (names.empty() ? "" : ", ") + action.name;
    add({{fmt::format("action: {}▏", *scene_.typing), Style::strong},
         {fmt::format("   {}   Enter asks for it, Esc leaves", names.empty() ? "none begins so" : names), Style::dim}});
  }

  /// Actions that are prepared or under way.
  void actions() {
    Line line;
    for (std::size_t a = 0; a < scene_.run->actions.size(); ++a) {
      const ActionView& action = scene_.run->actions[a];
      const std::string& name = scene_.rig->actions[a].name;
      const ActionSetup& setup = scene_.rig->setup.actions[a];
      const double passed_s = to_seconds(scene_.run->now - action.since);
      if (action.stage == ActionStage::prepared)
        line.push_back({fmt::format("{} is prepared: once more within {:.1f} s   ", name,
                                    std::max(0.0, to_seconds(setup.confirm) - passed_s)),
                        Style::warn});
      if (action.stage == ActionStage::running)
        line.push_back(
            {fmt::format("{} is under way: {:.1f} of {:g} s at most   ", name, passed_s, to_seconds(setup.limit)),
             Style::good});
      if (action.stage == ActionStage::paused)
        line.push_back({fmt::format("{} is paused: ask for it again, or stop   ", name), Style::warn});
    }
    if (!line.empty()) add(line);
  }

  void run() {
    const Rig& rig = *scene_.rig;
    const RunView& view = *scene_.run;
    Line line;
    for (std::size_t z = 0; z < view.zones.size(); ++z) {
      if (rig.zones.size() > 1) line.push_back({rig.zones[z] + " "});
      const State state = view.zones[z].state;
      line.push_back({name_of(state), style_of(state)});
      std::string who;
      for (std::size_t h = 0; h < rig.handsets.size(); ++h)
        if (has(view.zones[z].in_charge, id_at<HandsetId>(h))) who += (who.empty() ? "" : ", ") + rig.handsets[h];
      if (rig.handsets.size() > 1 && !who.empty()) line.push_back({fmt::format(" ({} in charge)", who)});
      if (state == State::tripped || state == State::stopping)
        line.push_back({fmt::format(" ({})", about(view.zones[z].cause).sentence), style_of(state)});
      line.push_back({"   "});
    }
    if (view.reduced) line.push_back({"reduced speed  ", Style::warn});
    for (std::size_t l = 0; l < view.layers.size(); ++l)
      if (view.layers[l] != 0) line.push_back({fmt::format(" layer {} ", rig.layers[l]), Style::good});
    for (std::size_t s = 0; s < view.switches.size(); ++s)
      line.push_back({fmt::format("   {} {}", rig.switches[s], view.switches[s] != 0 ? "on" : "off"),
                      view.switches[s] != 0 ? Style::plain : Style::dim});
    add(line);
    add(numbers());
    actions();
    if (view.holding.share > 0) {
      const BindingSetup& b = rig.setup.bindings[index(view.holding.binding)];
      std::string progress;
      for (int i = 0; i < 20; ++i) progress += i < static_cast<int>(view.holding.share * 20) ? "█" : "·";
      add({{fmt::format("keep holding {}: {} of {:g} s", rig.slots[index(b.slot)].name, progress, to_seconds(b.hold)),
            Style::strong}});
    }
    const Lateness& late = view.lateness;
    add({{fmt::format("{:g} Hz, {} ticks, {} late, {} missed, worst {:.2f} ms; {} readings", 1 / to_seconds(rig.period),
                      view.ticks, late.late, late.missed, to_seconds(late.worst) * 1e3, view.readings),
          late.missed > 0 ? Style::warn : Style::dim}});
    std::string text = "late by (µs)";
    for (std::size_t i = 0; i < late.counts.size(); ++i) {
      const bool last = i == Lateness::bounds_us.size();
      if (late.counts[i] > 0)
        text += fmt::format("  {}{}: {}", last ? "≥" : "<", Lateness::bounds_us[last ? i - 1 : i], late.counts[i]);
    }
    add({{text, Style::dim}});
  }

  /// Every override in force with the line that sets it, and what a dial adjusts.
  Line numbers() const {
    const Rig& rig = *scene_.rig;
    const RunView& view = *scene_.run;
    Line set;
    for (std::size_t n = 0; n < rig.numbers.size(); ++n) {
      const OverrideId override = rig.setup.notches.numbers[n].override;
      if (override == no<OverrideId>) continue;
      const bool shared = override == OverrideId{0};
      // The shared override is no news where every axis has one of its own.
      if (shared && rig.setup.notches.overrides.size() > 1 && rig.setup.notches.overrides.front().values.size() < 2)
        continue;
      const Origin& at = rig.numbers[n].origin;
      const std::string where = at.line > 0 ? fmt::format(" (line {})", at.line) : "";
      set.push_back({fmt::format("{} {:g} %{}  ", rig.numbers[n].name, view.overrides[index(override)], where),
                     view.overrides[index(override)] < 100 ? Style::warn : Style::plain});
    }
    if (view.chosen != no<NumberId>)
      set.push_back({fmt::format("dial: {}", rig.numbers[index(view.chosen)].name), Style::strong});
    return set;
  }

  void axes() {
    rule("axes");
    const Rig& rig = *scene_.rig;
    const RunView& view = *scene_.run;
    std::vector<std::string> names;
    for (const AxisInfo& axis : rig.axes) names.push_back(axis.name);
    names = distinct(names, 11);
    for (std::size_t a = 0; a < view.axes.size(); ++a) {
      const AxisView& axis = view.axes[a];
      const std::string& unit = rig.axes[a].unit;
      std::string step;
      if (view.increments[a] != 0)
        step = fmt::format("step {}", say_amount(rig, id_at<AxisId>(a), view.increments[a]).substr(1));
      const bool off = axis.command.mode == Mode::off;
      if (rig.axes[a].motor) {
        add({{padded(names[a], 11), Style::strong},
             {padded("        motor", 14), Style::dim},
             {padded(fmt::format("{:>+7.1f} %", tidy(axis.command.v)), 14),
              axis.command.v != 0 ? Style::good : Style::dim},
             {std::string(travel_width + 14, ' '), Style::plain},
             doing(rig, axis)});
        continue;
      }
      const double stands = off && axis.measured.measured ? axis.measured.position : axis.command.p;
      add({{padded(names[a], 11), Style::strong},
           {padded(fmt::format("{:>9.3f} {:<3}", tidy(stands), unit), 14)},
           {padded(fmt::format("{:>+7.1f} {}/s", tidy(axis.command.v), unit), 14),
            axis.command.v != 0 ? Style::good : Style::dim},
           rig.setup.axes[a].homing.any() && view.homed[a] == 0
               ? Piece{padded(" nobody knows", travel_width), Style::dim}
               : Piece{travel_bar(stands, rig.setup.axes[a].limits, rig.axes[a].endless), Style::plain},
           {fmt::format(" {} ", padded(step, 12)), Style::dim},
           view.homed[a] != 0 ? own_place(stands, view.zeros[a], unit) : Piece{"not homed   ", Style::warn},
           doing(rig, axis)});
    }
  }

  /// Contacts with on or off; numbers with their gauge, where the rig gives its range.
  void inputs(std::size_t end) {
    if (scene_.run->inputs.empty()) return;
    rule("inputs");
    std::vector<Line> cells;
    for (std::size_t i = 0; i < scene_.run->inputs.size(); ++i) cells.push_back(input_cell(i));
    columns_of(cells, end);
  }

  Line input_cell(std::size_t i) const {
    const RunView::Input& input = scene_.run->inputs[i];
    const InputInfo& info = scene_.rig->inputs[i];
    Line line{{padded(info.name, 15)}};
    if (input.state == InputState::unknown) {
      line.push_back({"unknown", Style::warn});
    } else if (info.unit.empty()) {
      const bool on = input.state == InputState::on;
      line.push_back({on ? "■ on" : "· off", on ? Style::good : Style::dim});
    } else {
      const Style style = input.beyond == Beyond::no ? Style::plain : Style::bad;
      line.push_back({padded(fmt::format("{:>8.4g} {}", input.value, info.unit), 15), style});
      if (info.range)
        line.push_back(
            {place_bar((input.value - info.range->first) / (info.range->second - info.range->first)), style});
    }
    return line;
  }

  /// Everything that holds an axis now, once, with what would release it.
  void ways_out() {
    const Rig& rig = *scene_.rig;
    std::vector<std::pair<std::string, std::string>> told;  // what, and the axes that it holds
    const std::vector<AxisView>& all = scene_.run->axes;
    for (std::size_t a = 0; a < all.size(); ++a) {
      const AxisStatus& why = all[a].why;
      if (why.blocked.what == Interlock::none || why.blocked.what == Interlock::unasked ||
          why.blocked.what == Interlock::stopping)
        continue;
      std::string text;
      if (why.before.what != Interlock::none && why.before.what != why.blocked.what)
        text = fmt::format("{}: {}; then ", say(rig, why.before), say_release(rig, why.before));
      text += fmt::format("{}: {}", say(rig, why.blocked, why.cause), say_release(rig, why.blocked));
      const auto same = std::find_if(told.begin(), told.end(), [&](const auto& one) { return one.first == text; });
      if (same == told.end()) {
        told.emplace_back(text, rig.axes[a].name);
      } else {
        same->second += fmt::format(", {}", rig.axes[a].name);
      }
    }
    for (const auto& [text, names] : told) {
      const std::string whom =
          told.size() == 1 && std::count(names.begin(), names.end(), ',') + 1 == std::ssize(all) ? "all axes" : names;
      for (const std::string& part : split(fmt::format("{}: {}", whom, text), columns_)) add({{part, Style::warn}});
    }
  }

  void handsets(std::size_t room) {
    const std::size_t end = lines_.size() + room;
    if (scene_.hands != nullptr) {
      for (std::size_t s = 0; s < scene_.hands->seats.size() && lines_.size() < end; ++s) handset(s, end);
      if (scene_.hands->seats.empty())
        add({{"No handset is plugged in yet. `gyrax handsets` has advice.", Style::warn}});
      for (const std::string& note : scene_.hands->notes)
        if (lines_.size() < end) add({{fmt::format("not used: {}", note), Style::warn}});
    } else if (scene_.rig != nullptr && scene_.run != nullptr) {
      rule("hands, from a recording");
      std::vector<Line> cells;
      for (const bool keys : {false, true})
        for (std::size_t s = 0; s < scene_.rig->slots.size(); ++s)
          if (is_key(shown_as(s)) == keys) cells.push_back(played_cell(s));
      columns_of(cells, end);
    }
  }

  void handset(std::size_t s, std::size_t end) {
    const SeenHandset& seen = scene_.hands->seats[s];
    if (!seen.present) {
      rule(seen.name);
      add({{fmt::format("{} is not plugged in", seen.name), Style::warn}});
      return;
    }
    const double rate = s < scene_.reports_per_s.size() ? scene_.reports_per_s[s] : 0;
    rule(fmt::format("{}: {} {} {}, {:.0f} reports/s{}{}", seen.name, seen.device.name, id_of(seen.device), seen.node,
                     rate, seen.drops > 0 ? fmt::format(", {} drops", seen.drops) : "", seen.grabbed ? ", taken" : ""));
    std::vector<Line> cells;
    // What is deflected tells more than what is pressed: sticks first.
    for (const bool keys : {false, true})
      for (const SeenControl& control : seen.controls)
        if (is_key(all_controls()[index(control.control)]) == keys) cells.push_back(seen_cell(s, control));
    if (scene_.rig != nullptr && scene_.run != nullptr)
      for (std::size_t slot = 0; slot < scene_.rig->slots.size(); ++slot)
        if (scene_.rig->setup.controls[slot].control == no<ControlId> &&
            index(scene_.rig->setup.controls[slot].handset) == s)
          cells.push_back(played_cell(slot));
    columns_of(cells, end);
  }

  Line seen_cell(std::size_t seat, const SeenControl& control) const {
    const ControlName& name = all_controls()[index(control.control)];
    const Sample* sample = nullptr;
    if (scene_.rig != nullptr && scene_.run != nullptr)
      for (std::size_t s = 0; s < scene_.rig->slots.size(); ++s)
        if (scene_.rig->setup.controls[s].control == control.control &&
            index(scene_.rig->setup.controls[s].handset) == seat)
          sample = &scene_.run->samples[s];
    std::string code = kernel_code(name);
    return cell_of(name, code, control.known, std::to_string(control.raw),
                   sample != nullptr && sample->known ? sample_value(*sample, name) : value_of(control));
  }

  /// A slot's control; for one that the rig makes of others its name and what it is like.
  ControlName shown_as(std::size_t slot) const {
    const ControlSetup& setup = scene_.rig->setup.controls[slot];
    if (setup.control != no<ControlId>) return all_controls()[index(setup.control)];
    ControlName made;
    made.name = scene_.rig->slots[slot].name;
    const ControlKind kind = setup.calibration.kind();
    made.kind = kind == ControlKind::key       ? ControlKind::key
                : kind == ControlKind::centred ? ControlKind::centred
                                               : ControlKind::one_sided;
    return made;
  }

  Line played_cell(std::size_t slot) const {
    const ControlName name = shown_as(slot);
    const Sample& sample = scene_.run->samples[slot];
    const std::string code = scene_.rig->setup.controls[slot].control == no<ControlId> ? "made" : kernel_code(name);
    return cell_of(name, code, sample.known, "", sample_value(sample, name));
  }

  /// A control's name as it fits into its cell beside those of all others.
  std::string short_name(const std::string& name) const {
    std::vector<std::string> all;
    if (scene_.rig != nullptr)
      for (const SlotInfo& slot : scene_.rig->slots) all.push_back(slot.name);
    const auto at = std::find(all.begin(), all.end(), name);
    return at == all.end() ? name : distinct(all, 15)[static_cast<std::size_t>(at - all.begin())];
  }

  static double sample_value(const Sample& sample, const ControlName& name) {
    return name.kind == ControlKind::key ? (sample.pressed ? 1 : 0) : sample.value;
  }

  Line cell_of(const ControlName& name, const std::string& code, bool known, const std::string& raw,
               double value) const {
    Line line{{padded(short_name(name.name), 15)}, {padded(code, 13), Style::dim}};
    if (!known) {
      line.push_back({padded("not moved yet", cell - 28), Style::dim});
      return line;
    }
    if (name.kind == ControlKind::key) {
      line.push_back({padded(value != 0 ? "■ down" : "·", cell - 28), value != 0 ? Style::good : Style::dim});
      return line;
    }
    if (name.kind == ControlKind::counts) {
      line.push_back({padded(fmt::format("{} counts", raw), cell - 28)});
      return line;
    }
    line.push_back({fmt::format("{:>6}{:>7.3f} ", raw, tidy(value))});
    line.push_back(
        {padded(bar(value, name.kind == ControlKind::centred), bar_width), value != 0 ? Style::good : Style::dim});
    return line;
  }

  /// Cells side by side, down the first column first.
  void columns_of(const std::vector<Line>& cells, std::size_t end) {
    const std::size_t beside = std::max<std::size_t>(1, columns_ / cell);
    const std::size_t rows = (cells.size() + beside - 1) / beside;
    for (std::size_t r = 0; r < rows; ++r) {
      if (lines_.size() + 1 >= end && r + 1 < rows) {
        add({{fmt::format("… and {} more; a taller terminal shows them", (rows - r) * beside), Style::dim}});
        return;
      }
      Line line;
      for (std::size_t c = r; c < cells.size(); c += rows) {
        std::size_t width = 0;
        for (const Piece& piece : cells[c]) {
          line.push_back(piece);
          width += width_of(piece.text);
        }
        if (width < cell) line.push_back({std::string(cell - width, ' ')});
      }
      add(line);
    }
  }

  /// An event on as many lines as it takes: what would release something stands at its end.
  std::vector<Line> lines_of(const Event& event) const {
    constexpr std::size_t indent = 13;
    const bool bad = event.cause != Cause::none && about(event.cause).fault;
    const std::size_t room = columns_ > 2 * indent ? columns_ - indent : indent;
    std::vector<Line> lines;
    for (const std::string& part : split(say(*scene_.rig, event), room)) {
      const std::string time =
          lines.empty() ? fmt::format("{:9.3f} s  ", to_seconds(event.at)) : std::string(indent, ' ');
      lines.push_back({{time, Style::dim}, {part, bad ? Style::bad : Style::plain}});
    }
    return lines;
  }

  void last_events(std::size_t room) {
    const RunView& view = *scene_.run;
    while (lines_.size() + room < rows_) add({});
    rule("what happened");
    const std::size_t kept = std::min<std::size_t>(static_cast<std::size_t>(view.events_so_far), RunView::kept_events);
    std::vector<Line> told;
    for (std::size_t i = 0; i < kept; ++i) {
      const Event& event = view.events[(view.events_so_far - 1 - i) % RunView::kept_events];
      // The state that follows from a fault says the same.
      if (is_said_by_state(event)) continue;
      const std::vector<Line> lines = lines_of(event);
      if (told.size() + lines.size() + 1 > room) break;
      told.insert(told.begin(), lines.begin(), lines.end());
    }
    for (Line& line : told) add(std::move(line));
  }

  const Scene& scene_;
  std::size_t columns_, rows_;
  std::vector<Line> lines_;
};

}  // namespace

double value_of(const SeenControl& control) {
  const ControlKind kind = all_controls()[index(control.control)].kind;
  if (kind == ControlKind::key || kind == ControlKind::counts) return control.raw;
  return control.calibration.normalise(control.raw);
}

std::vector<Line> compose(const Scene& scene, std::size_t columns, std::size_t rows) {
  return Composer(scene, columns, rows).compose();
}

}  // namespace gyrax::tool
