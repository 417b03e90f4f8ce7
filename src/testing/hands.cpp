#include <gyrax/handset/controls.hpp>
#include <gyrax/testing/hands.hpp>

#include <linux/input-event-codes.h>

#include <cmath>
#include <stdexcept>
#include <string>

namespace gyrax::testing {
namespace {

constexpr std::int64_t scan_us = 8000;
constexpr std::int32_t stick_end = 32767, trigger_end = 255, fuzz = 16;

std::int64_t in_us(double s) { return static_cast<std::int64_t>(std::llround(s * 1e6)); }

const ControlName& control_of(const std::string& name) {
  const ControlName* control = find_control(name);
  if (control == nullptr) throw std::invalid_argument("no control '" + name + "'");
  return *control;
}

}  // namespace

Hands::Hands(std::uint32_t seed, Model model) : random_(seed * 2654435761u + 1) {
  Device& d = track_.device;
  d.bus = 3;
  d.vendor = 0x1209;
  d.version = 0x0100;
  if (model == Model::pad) {
    describe_pad();
  } else {
    describe_wheel_box();
  }
}

void Hands::describe_wheel_box() {
  Device& d = track_.device;
  d.name = "Bench wheel box (made up)";
  d.product = 0x0002;
  d.relative.insert(control_of("dial.1").code);
  for (int i = 0; i < 10; ++i) d.keys.insert(control_of("key.kp" + std::to_string(i)).code);
}

void Hands::describe_pad() {
  Device& d = track_.device;
  d.name = "Bench pad (made up)";
  d.product = 0x0001;
  for (const char* name : {"face.south", "face.east", "face.north", "face.west", "shoulder.left", "shoulder.right", "menu.left",
                           "menu.right", "menu.centre", "thumb.left", "thumb.right"})
    d.keys.insert(control_of(name).code);
  for (const char* name : {"stick.left.x", "stick.left.y", "stick.right.x", "stick.right.y"}) {
    const ControlName& control = control_of(name);
    d.absolute[control.code] = {-32768, 32767, fuzz, 128, 0};
    sticks_[control.code] = {noise(1400), 0, 0, 0, false, control.reversed};
  }
  for (const char* name : {"trigger.left", "trigger.right"}) {
    d.absolute[control_of(name).code] = {0, trigger_end, 0, 0, 0};
    sticks_[control_of(name).code].one_sided = true;
  }
  for (const char* name : {"hat.left", "hat.up"}) d.absolute[control_of(name).code] = {-1, 1, 0, 0, 0};
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

void Hands::scan() {
  for (auto& [code, s] : sticks_) {
    std::int32_t value = 0;
    if (s.one_sided) {
      value = static_cast<std::int32_t>(std::lround(s.share * trigger_end));
    } else {
      // At rest the spring holds it, with a little noise; a hand that deflects it trembles, as a slow wander.
      const bool held = s.share != 0;
      s.wander = s.wander * 15 / 16 + noise(held ? 160 : 24);
      const double rest = static_cast<double>(s.rest) * (1 - std::abs(s.share));
      // A firm push goes past where the stick ends.
      value = static_cast<std::int32_t>(std::lround((s.reversed ? -s.share : s.share) * 1.08 * stick_end + rest)) + s.wander;
      value = std::min(std::max(value, -32768), 32767);
    }
    // The kernel reports a change only when it is larger than the device's fuzz.
    if (std::abs(value - s.told) <= (s.one_sided ? 0 : fuzz) && !(std::abs(value) >= stick_end && value != s.told)) continue;
    s.told = value;
    send(EV_ABS, code, value);
  }
  end_frame();
}

Hands& Hands::wait(double s) { return wait_until(now_s() + s); }

Hands& Hands::wait_until(double s) {
  const std::int64_t end = in_us(s);
  while (now_us_ + scan_us <= end) {
    now_us_ += scan_us;
    scan();
  }
  return *this;
}

void Hands::key(const std::string& control, int value) {
  const ControlName& name = control_of(control);
  send(name.type, name.code, name.hat_side != 0 ? value * name.hat_side : value);
  end_frame();
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
  Stick& stick = sticks_.at(control_of(control).code);
  const double from = stick.share, begin = now_s();
  while (now_s() < begin + within_s - 1e-9) {
    wait(0.008);
    const double done = (now_s() - begin) / within_s;
    stick.share = from + (share - from) * (done < 1 ? done : 1);
  }
  stick.share = share;
  return wait(hold_s);
}

Hands& Hands::turn(const std::string& control, int counts, double within_s) {
  const ControlName& name = control_of(control);
  const double begin = now_s();
  int told = 0;
  while (told != counts) {
    wait(0.008);
    const double done = (now_s() - begin) / within_s;
    const int now = done < 1 ? static_cast<int>(std::lround(counts * done)) : counts;
    if (now != told) send(name.type, name.code, now - told);
    told = now;
    end_frame();
  }
  return *this;
}

Hands& Hands::unplug() {
  plugged_ = false;
  return *this;
}

Hands& Hands::plug() {
  plugged_ = true;
  // After plugging in, the kernel holds placeholders: the next scan tells every stick anew.
  for (auto& [code, stick] : sticks_) stick.told = 0;
  return *this;
}

}  // namespace gyrax::testing
