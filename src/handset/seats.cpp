#include <gyrax/handset/seats.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

bool same_kind(const Device& a, const Device& b) {
  return a.vendor == b.vendor && a.product == b.product && a.name == b.name;
}

bool same_device(const Device& a, const Device& b) {
  if (!same_kind(a, b)) return false;
  return a.unique.empty() && b.unique.empty() ? a.port == b.port : a.unique == b.unique;
}

std::string missing_control(const SeatWish& wish, Device device) {
  device.named = wish.named;
  const std::vector<ControlId> has = controls_of(device);
  for (const SeatControl& c : wish.controls)
    if (!std::binary_search(has.begin(), has.end(), c.control)) return control_name(c.control);
  return {};
}

/// Better is higher; nothing below one sits.
constexpr int refused = 0, of_another = 1, fresh = 2, own = 3;

}  // namespace

std::string differs(const SeatWish::Calibrated& calibrated, const Device& device) {
  const bool same = calibrated.id == id_of(device) && calibrated.name == as_text(device.name) &&
                    calibrated.unique == as_text(device.unique);
  if (same) return {};
  const auto whole = [](const std::string& id, const std::string& name, const std::string& unique) {
    return fmt::format("{} ({}{}{})", name, id, unique.empty() ? "" : ", unique id ", unique);
  };
  return fmt::format("{} was measured on {}, and this is {}", calibrated.file,
                     whole(calibrated.id, calibrated.name, calibrated.unique),
                     whole(id_of(device), device.name, device.unique));
}

Calibration usual_calibration(const ControlName& control) {
  if (control.kind == ControlKind::centred)
    return *Calibration::make(ControlKind::centred, -32768, 0, 32767, control.reversed);
  if (control.kind == ControlKind::counts) return Calibration::counts(control.reversed);
  if (control.kind == ControlKind::one_sided)
    return *Calibration::make(ControlKind::one_sided, 0, 0, 255, control.reversed);
  return Calibration::key();
}

Seats Seats::open(std::vector<WiredPlace> wires) {
  Seats made({});
  made.open_ = true;
  made.wires_ = std::move(wires);
  return made;
}

std::vector<WiredPlace> Seats::wires() const {
  std::vector<WiredPlace> all = wires_;
  for (const Seat& seat : seats_)
    if (seat.wish.wire) all.push_back(*seat.wish.wire);
  return all;
}

int Seats::score(const Seat& seat, const Device& device, std::string& why) const {
  const SeatWish& wish = seat.wish;
  const auto is_another = [](const std::string& wished, const std::string& is) {
    return !wished.empty() && wished != is;
  };
  if (is_another(wish.id, id_of(device)) || is_another(wish.name, device.name) ||
      is_another(wish.unique, device.unique) || is_another(wish.port, device.port))
    return refused;
  const DeviceKind kind = kind_of(device);
  if (!wish.names_a_device() && kind != DeviceKind::gamepad && kind != DeviceKind::joystick &&
      kind != DeviceKind::dial) {
    why = fmt::format("a {} is taken only where the rig names it: device = {{ id = \"{}\" }}", name_of(kind),
                      id_of(device));
    return refused;
  }
  if (const std::string control = missing_control(wish, device); !control.empty()) {
    why = fmt::format("it has no {}, which handset '{}' needs", control, wish.handset);
    return refused;
  }
  if (wish.calibrated && !wish.calibrated->any_device) {
    if (const std::string how = differs(*wish.calibrated, device); !how.empty()) {
      why = how + "; calibrate it, or allow it: calibration = { file = …, any_device = true }";
      return refused;
    }
  }
  if (seat.taken) {
    why = fmt::format("the place of handset '{}' is taken", wish.handset);
    return refused;
  }
  if (!seat.last) return fresh;
  return same_device(*seat.last, device) ? own : of_another;
}

Seats::Placed Seats::place(const Device& device) {
  Placed placed;
  if (open_) return add_seat(device);
  int best = refused;
  std::size_t equals = 0;
  std::string why;
  for (std::size_t s = 0; s < seats_.size(); ++s) {
    const int now = score(seats_[s], device, why);
    if (now == refused || now < best) continue;
    equals = now == best ? equals + 1 : 1;
    if (now > best) placed.seat = s;
    best = now;
  }
  if (best == of_another && equals > 1) {
    // Guessing would put a stick into the wrong hand.
    placed.seat.reset();
    placed.why =
        "several handsets of its kind are missing, and this port belonged to none: plug it in where it was before";
    return placed;
  }
  if (!placed.seat) {
    placed.why = why.empty() ? "no handset of the rig is described like it" : why;
    return placed;
  }
  Seat& seat = seats_[*placed.seat];
  placed.another = best == of_another;
  if (seat.wish.calibrated) placed.warning = differs(*seat.wish.calibrated, device);
  seat.taken = true;
  seat.last = device;
  return placed;
}

Seats::Placed Seats::add_seat(const Device& device) {
  std::optional<std::size_t> seat;
  for (std::size_t s = 0; s < seats_.size() && !seat; ++s)
    if (!seats_[s].taken && seats_[s].last && same_device(*seats_[s].last, device)) seat = s;
  if (!seat) {
    if (seats_.size() == max_handsets)
      return {std::nullopt, false, fmt::format("there are {} handsets already", max_handsets)};
    const DeviceKind kind = kind_of(device);
    const std::string stem = kind == DeviceKind::gamepad ? "pad" : kind == DeviceKind::tilt ? "tilt" : name_of(kind);
    const auto of_kind =
        std::count_if(seats_.begin(), seats_.end(), [&](const Seat& s) { return s.wish.handset.starts_with(stem); });
    SeatWish wish;
    wish.handset = of_kind == 0 ? stem : fmt::format("{}{}", stem, of_kind + 1);
    for (const ControlId control : controls_of(device))
      wish.controls.push_back({no<SlotId>, control, usual_calibration(all_controls()[index(control)]), false});
    seats_.emplace_back(std::move(wish));
    seat = seats_.size() - 1;
  }
  seats_[*seat].taken = true;
  seats_[*seat].last = device;
  return {seat, false, {}};
}

}  // namespace gyrax
