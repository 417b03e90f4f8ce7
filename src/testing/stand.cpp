#include <gyrax/handset/controls.hpp>
#include <gyrax/testing/stand.hpp>

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace gyrax::testing {
namespace {

template <class List, class Name>
std::size_t row_of(const List& list, Name name_of, const std::string& wanted) {
  for (std::size_t i = 0; i < list.size(); ++i)
    if (name_of(list[i]) == wanted) return i;
  throw std::invalid_argument("the rig has no '" + wanted + "'");
}

const auto itself = [](const std::string& name) { return name; };

}  // namespace

Stand::Stand(const Rig& rig)
    : rig_(rig), engine_(rig.setup), out_(rig.setup), links_(rig), sequences_(rig.handsets.size()) {
  for (const std::string& handset : rig_.handsets) plug(handset);
  // The machines' first reports are on their way before anybody can get ready.
  run(0.05);
}

AxisId Stand::axis_id(const std::string& name) const {
  return id_at<AxisId>(row_of(
      rig_.axes, [](const AxisInfo& a) { return a.name; }, name));
}

ActionId Stand::action_id(const std::string& name) const {
  return id_at<ActionId>(row_of(
      rig_.actions, [](const ActionInfo& a) { return a.name; }, name));
}

HandsetId Stand::handset_id(const std::string& name) const {
  return id_at<HandsetId>(row_of(rig_.handsets, itself, name));
}

bool Stand::switched_on(const std::string& name) const {
  return out_.switches[row_of(rig_.switches, itself, name)] != 0;
}

std::size_t Stand::count(Event::Kind kind) const {
  return static_cast<std::size_t>(
      std::count_if(events_.begin(), events_.end(), [&](const Event& e) { return e.kind == kind; }));
}

Stand& Stand::say(Reading reading) {
  reading.sequence = ++sequences_[index(reading.handset)];
  readings_.push_back(reading);
  return *this;
}

Stand& Stand::say_control(const std::string& name, std::int32_t raw) {
  const std::size_t slash = name.find('/');
  const HandsetId handset = slash == std::string::npos ? HandsetId{0} : handset_id(name.substr(0, slash));
  const ControlName* control = find_control(slash == std::string::npos ? name : name.substr(slash + 1));
  if (control == nullptr) throw std::invalid_argument("there is no control '" + name + "'");
  return say({handset, control->id, 0, now_, now_, raw});
}

Stand& Stand::press(const std::string& control) { return say_control(control, 1); }

Stand& Stand::release(const std::string& control) { return say_control(control, 0); }

Stand& Stand::turn(const std::string& control, std::int32_t counts) { return say_control(control, counts); }

Stand& Stand::tap(const std::string& control) { return press(control).tick().release(control).tick(); }

Stand& Stand::move(const std::string& name, double share) {
  const std::size_t slash = name.find('/');
  const HandsetId handset = slash == std::string::npos ? HandsetId{0} : handset_id(name.substr(0, slash));
  const ControlName* control = find_control(slash == std::string::npos ? name : name.substr(slash + 1));
  if (control == nullptr) throw std::invalid_argument("there is no control '" + name + "'");
  for (const ControlSetup& setup : rig_.setup.controls)
    if (setup.handset == handset && setup.control == control->id)
      return say_control(name, setup.calibration.raw_of(share));
  throw std::invalid_argument("the rig does not use '" + name + "'");
}

Stand& Stand::plug(const std::string& handset) {
  const HandsetId id = handset_id(handset);
  say({id, ControlId::presence, 0, now_, now_, 1});
  for (const ControlSetup& setup : rig_.setup.controls)
    if (setup.handset == id && setup.control != no<ControlId>)
      say({id, setup.control, 0, now_, now_, setup.calibration.raw_of(0)});
  return *this;
}

Stand& Stand::unplug(const std::string& handset) {
  return say({handset_id(handset), ControlId::presence, 0, now_, now_, 0});
}

Stand& Stand::recalibrate(const std::string& handset) {
  for (std::size_t s = 0; s < rig_.setup.controls.size(); ++s) {
    ControlSetup& setup = rig_.setup.controls[s];
    const ControlKind kind = setup.calibration.kind();
    if (setup.handset != handset_id(handset) || setup.control == no<ControlId>) continue;
    if (kind != ControlKind::centred && kind != ControlKind::one_sided) continue;
    const auto other = Calibration::make(kind, kind == ControlKind::centred ? -500 : 0, 0, 500, false);
    if (other && engine_.calibrate(id_at<SlotId>(s), *other)) setup.calibration = *other;
  }
  return *this;
}

Stand& Stand::lose(const std::string& handset, std::int32_t readings) {
  return say({handset_id(handset), ControlId::gap, 0, now_, now_, readings});
}

Stand& Stand::miss(const std::string& handset, std::int32_t readings) {
  sequences_[index(handset_id(handset))] += static_cast<std::uint32_t>(readings);
  return *this;
}

Stand& Stand::type(const std::string& action) {
  typed_.push_back(action_id(action));
  return *this;
}

Stand& Stand::report(const LinkReport& report) {
  own_reports_.push_back(report);
  return *this;
}

void Stand::do_tick() {
  std::span<const LinkReport> reports = links_.reports(now_);
  if (!own_reports_.empty()) reports = own_reports_;
  engine_.tick({now_, readings_, reports, ended_, {}, typed_}, out_.view());
  links_.send(out_.frames);
  readings_.clear();
  typed_.clear();
  own_reports_.clear();
  for (Event event; out_.events.read(event);) events_.push_back(event);
}

Stand& Stand::tick(std::size_t ticks) {
  for (; ticks > 0; --ticks) tick_after(rig_.period);
  return *this;
}

Stand& Stand::tick_after(Span span) {
  now_ += span;
  do_tick();
  return *this;
}

Stand& Stand::run(double s) { return tick(static_cast<std::size_t>(std::lround(s / to_seconds(rig_.period)))); }

std::string Stand::whole_name(SlotId slot) const {
  return rig_.handsets[index(rig_.setup.controls[index(slot)].handset)] + "/" + rig_.slots[index(slot)].name;
}

Stand& Stand::make_ready() {
  for (const BindingSetup& b : rig_.setup.bindings)
    if (makes_ready(b.effect)) tap(whole_name(b.slot));
  return *this;
}

Stand& Stand::make_live() {
  if (state() == State::stowed) make_ready();
  for (const BindingSetup& b : rig_.setup.bindings)
    if (b.as<effect::Enable>()) press(whole_name(b.slot));
  return tick();
}

}  // namespace gyrax::testing
