#include <gyrax/handset/controls.hpp>
#include <gyrax/testing/hands.hpp>

#include <linux/input-event-codes.h>

#include <algorithm>
#include <cmath>
#include <stdexcept>
#include <string>

namespace gyrax::testing {
namespace {

std::int64_t in_us(double s) { return static_cast<std::int64_t>(std::llround(s * 1e6)); }

/// Sine and cosine of degrees, by a series that rounds alike on every machine.
std::pair<double, double> circle(double deg) {
  const double x = deg * 0.017453292519943295, s = x * x;
  const double sine = x * (1 - s / 6 * (1 - s / 20 * (1 - s / 42 * (1 - s / 72 * (1 - s / 110)))));
  const double cosine = 1 - s / 2 * (1 - s / 12 * (1 - s / 30 * (1 - s / 56 * (1 - s / 90 * (1 - s / 132)))));
  return {sine, cosine};
}

}  // namespace

Hands::Hands(std::uint32_t seed, const HandsetModel& model) : model_(model), random_(seed * 2654435761u + 1) {
  track_.device = model.device;
  for (const auto& [code, axis] : model.axes) {
    Part& part = parts_[code];
    part.is = axis;
    part.rest = axis.rest + (axis.rest_scatter > 0 ? noise(axis.rest_scatter) : 0);
    if (axis.one_sided && axis.stays && axis.reversed) part.rest = axis.maximum;
  }
}

/// The kernel's type and code of a control on this handset.
std::pair<std::uint16_t, std::uint16_t> Hands::code_of(const std::string& control) const {
  if (const auto code = code_named(control)) return *code;
  const ControlName* name = find_control(control);
  if (name == nullptr) throw std::invalid_argument("no control '" + control + "'");
  return {name->type, name->code};
}

/// A whole number in [-size, size], nearer ones likelier.
std::int32_t Hands::noise(std::int32_t size) {
  std::int64_t sum = 0;
  for (int i = 0; i < 3; ++i) {
    random_ = random_ * 1664525u + 1013904223u;
    sum += static_cast<std::int64_t>(random_ >> 8) % (2 * size + 1) - size;
  }
  return static_cast<std::int32_t>(sum / 3);
}

void Hands::send(std::uint16_t type, std::uint16_t code, std::int32_t value) {
  if (!plugged_) return;
  track_.events.push_back({now_us_, type, code, value});
  in_frame_ = true;
}

void Hands::end_frame() {
  if (in_frame_) track_.events.push_back({now_us_, EV_SYN, SYN_REPORT, 0});
  in_frame_ = false;
}

/// What a part says now.
std::int32_t Hands::value_of(Part& part) {
  const ModelAxis& is = part.is;
  const double span = static_cast<double>(is.maximum) - is.minimum;
  const bool held = part.share != 0;
  double value = 0;
  if (is.noise > 0 || is.tremble > 0) part.wander = part.wander * 15 / 16 + noise(held ? is.tremble : is.noise);
  if (is.one_sided) {
    const double way = is.reversed ? 1 - part.share : part.share;
    value = is.minimum + way * span;
    if (!is.reversed && value < is.rest) value = is.rest;
  } else {
    // A spring holds it at rest; a hand that deflects it trembles, as a slow wander. A firm push goes past where it
    // ends.
    const std::int32_t whole_middle = (is.minimum + is.maximum + ((is.maximum - is.minimum) & 1)) / 2;
    const double middle = whole_middle, end = is.maximum - middle;
    const double rest = (part.rest + is.drift * now_s() - (is.minimum < 0 ? 0 : middle)) * (1 - std::abs(part.share));
    value = middle + (is.reversed ? -part.share : part.share) * is.firmness * end + rest;
  }
  auto raw = static_cast<std::int32_t>(std::lround(value)) + part.wander;
  if (is.jumps_every > 0 && held) {
    random_ = random_ * 1664525u + 1013904223u;
    if ((random_ >> 8) % static_cast<std::uint32_t>(is.jumps_every) == 0)
      raw = part.told > (is.minimum + is.maximum) / 2 ? is.minimum : is.maximum;
  }
  return std::min(std::max(raw, is.minimum), is.maximum);
}

void Hands::scan() {
  if (model_.tilts) return send_tilt();
  for (auto& [code, part] : parts_) {
    const std::int32_t value = value_of(part);
    const bool at_end = value >= part.is.maximum || value <= part.is.minimum + (part.is.one_sided ? 0 : 1);
    // The kernel reports a change only when it is larger than the device's fuzz, and what comes again not at all.
    if (std::abs(value - part.told) <= part.is.fuzz && !(at_end && value != part.told)) continue;
    part.told = value;
    send(EV_ABS, code, value);
  }
  // What reports steadily says so with each look; the kernel passes the time on even where nothing changed.
  if (model_.steadily) send(EV_MSC, MSC_TIMESTAMP, static_cast<std::int32_t>(now_us_ % 1'000'000'000));
  end_frame();
}

void Hands::send_tilt() {
  const auto [right_sine, right_cosine] = circle(right_deg_);
  const auto [away_sine, away_cosine] = circle(away_deg_);
  // First leaned to the right, then away: what gravity's counterforce is along each axis.
  const double along[] = {-right_sine * away_cosine, -away_sine, right_cosine * away_cosine};
  for (auto& [code, part] : parts_) {
    const double unit = model_.device.absolute.at(code).resolution;
    const auto value = static_cast<std::int32_t>(std::lround(along[code] * unit)) + noise(part.is.noise);
    send(EV_ABS, code, value);
  }
  send(EV_MSC, MSC_TIMESTAMP, static_cast<std::int32_t>(now_us_ % 1'000'000'000));
  end_frame();
}

Hands& Hands::wait(double s) { return wait_until(now_s() + s); }

Hands& Hands::wait_until(double s) {
  const std::int64_t end = in_us(s);
  while (now_us_ + model_.scan_us <= end) {
    now_us_ += model_.scan_us;
    scan();
  }
  return *this;
}

void Hands::key(const std::string& control, int value) {
  const auto [type, code] = code_of(control);
  const ControlName* name = find_control(control);
  send(type, code, name != nullptr && name->hat_side != 0 ? value * name->hat_side : value);
  end_frame();
  if (!model_.bounces) return;
  // Contacts that bounce: a few times within some milliseconds.
  random_ = random_ * 1664525u + 1013904223u;
  for (std::uint32_t i = (random_ >> 16) % 3; i > 0; --i)
    for (const int bounced : {1 - value, value}) {
      now_us_ += 1500;
      send(type, code, bounced);
      end_frame();
    }
}

Hands& Hands::down(const std::string& control) {
  key(control, 1);
  return wait(0.008);
}

Hands& Hands::up(const std::string& control) {
  key(control, 0);
  return wait(0.008);
}

Hands& Hands::tap(const std::string& control, double held_s) { return down(control).wait(held_s).up(control); }

Hands& Hands::push(const std::string& control, double share, double within_s, double hold_s) {
  Part& part = parts_.at(code_of(control).second);
  const double from = part.share, begin = now_s(), look_s = static_cast<double>(model_.scan_us) * 1e-6;
  while (now_s() < begin + within_s - 1e-9) {
    wait(look_s);
    const double done = (now_s() - begin) / within_s;
    part.share = from + (share - from) * (done < 1 ? done : 1);
  }
  part.share = share;
  // A slack spring leaves it a little on the side that it came from.
  if (share == 0 && part.is.slack > 0 && from != 0)
    part.rest = part.is.rest + ((from > 0) != part.is.reversed ? part.is.slack : -part.is.slack);
  return wait(hold_s);
}

Hands& Hands::turn(const std::string& control, int detents, double within_s) {
  const auto [type, code] = code_of(control);
  const int each = model_.counts_a_detent > 0 ? model_.counts_a_detent : 1, counts = detents * each,
            way = counts < 0 ? -1 : 1;
  const double begin = now_s(), look_s = static_cast<double>(model_.scan_us) * 1e-6;
  int told = 0;
  while (told != counts) {
    wait(look_s);
    const double done = (now_s() - begin) / within_s;
    const int now = done < 1 ? static_cast<int>(std::lround(counts * done)) : counts;
    if (now != told) send(type, code, now - told);
    told = now;
    end_frame();
    // Fingers on a detent's edge: a count back and forth again.
    if (model_.counts_a_detent > 0 && told != counts && noise(4) == 0)
      for (const int back : {-way, way}) {
        now_us_ += 2000;
        send(type, code, back);
        end_frame();
      }
  }
  return *this;
}

Hands& Hands::lean(double right_deg, double away_deg, double within_s, double hold_s) {
  const double from_right = right_deg_, from_away = away_deg_, begin = now_s(),
               look_s = static_cast<double>(model_.scan_us) * 1e-6;
  while (now_s() < begin + within_s - 1e-9) {
    wait(look_s);
    const double done = std::min(1.0, (now_s() - begin) / within_s);
    right_deg_ = from_right + (right_deg - from_right) * done;
    away_deg_ = from_away + (away_deg - from_away) * done;
  }
  return wait(hold_s);
}

Hands& Hands::show_everything() {
  wait(2);
  if (model_.tilts) {
    lean(80, 0, 0.8, 0.5).lean(0, 0, 0.8, 0.5).lean(-80, 0, 0.8, 0.5).lean(0, 0, 0.8, 0.5);
    return lean(0, 80, 0.8, 0.5).lean(0, 0, 0.8, 0.5).lean(0, -80, 0.8, 0.5).lean(0, 0, 0.8, 1);
  }
  for (const auto& [code, axis] : model_.axes) {
    const ControlName* name = find_control(EV_ABS, code);
    for (int again = 0; again < 2; ++again) {
      push(name->name, 1, 0.3, 0.5).push(name->name, 0, 0.25, 0.6);
      if (!axis.one_sided) push(name->name, -1, 0.3, 0.5).push(name->name, 0, 0.25, 0.6);
    }
  }
  for (const std::uint16_t code : model_.device.relative)
    turn(find_control(EV_REL, code)->name, 5, 0.5).turn(find_control(EV_REL, code)->name, -5, 0.5);
  for (const std::uint16_t code : model_.device.keys) tap(find_control(EV_KEY, code)->name, 0.12).wait(0.15);
  return wait(0.5);
}

Hands& Hands::lose(int events) {
  // The kernel's own word for it, and the frame that ends the gap.
  if (!plugged_) return *this;
  track_.events.push_back({now_us_, EV_SYN, SYN_DROPPED, events});
  track_.events.push_back({now_us_, EV_SYN, SYN_REPORT, 0});
  // Whoever reads it asks the kernel then how everything stands. No key is down here.
  for (const std::uint16_t code : model_.device.keys) send(EV_KEY, code, 0);
  for (const auto& [code, part] : parts_) send(EV_ABS, code, part.told);
  end_frame();
  return *this;
}

Hands& Hands::unplug() {
  plugged_ = false;
  return *this;
}

Hands& Hands::plug() {
  plugged_ = true;
  // After plugging in, the kernel holds placeholders: the next scan tells every stick anew.
  for (auto& [code, part] : parts_) part.told = 0;
  return *this;
}

}  // namespace gyrax::testing
