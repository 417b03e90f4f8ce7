// Hands told in lines of text, for made-up devices of any kind. A line is one of
//   plug NAME pad|deafpad|keypad|dial     unplug NAME     press NAME CONTROL     release NAME CONTROL
//   push NAME CONTROL SHARE       tap NAME CONTROL    turn NAME CONTROL COUNTS
//   wiggle NAME MS                (a stick at 1 kHz, and its count of frames is said)
//   wait MS
#pragma once

#include <gyrax/handset/controls.hpp>
#include <gyrax/testing/hands.hpp>

#include <fmt/format.h>
#include <linux/input.h>

#include <cmath>
#include <ctime>
#include <functional>
#include <istream>
#include <map>
#include <memory>
#include <sstream>
#include <stdexcept>
#include <string>

namespace gyrax::test {

/// A device that can be made to send one event and its report.
class MadeUp {
 public:
  virtual ~MadeUp() = default;
  virtual void send(std::uint16_t type, std::uint16_t code, int value) = 0;
};

/// What the words pad, keypad and dial stand for. A deafpad can rumble, and its driver never answers to that.
inline Device made_up_device(const std::string& kind) {
  Device device;
  device.vendor = 0x1209;
  device.bus = BUS_VIRTUAL;
  if (kind == "pad" || kind == "deafpad") {
    device = testing::Hands(1).track().device;
    // No fuzz: the kernel would swallow small moves, and tests count what arrives.
    for (auto& [code, range] : device.absolute) range.fuzz = 0;
    if (kind == "deafpad") device.other[EV_FF] = {FF_RUMBLE};
  } else if (kind == "keypad") {
    device.name = "Bench keypad (made up)";
    device.product = 2;
    for (std::uint16_t code = KEY_1; code <= KEY_KPDOT; ++code) device.keys.insert(code);
    device.keys.insert(KEY_KPENTER);
  } else {
    device.name = "Bench dial (made up)";
    device.product = 3;
    device.relative = {REL_WHEEL, REL_WHEEL_HI_RES, REL_DIAL};
  }
  return device;
}

class HandScript {
 public:
  using Make = std::function<std::unique_ptr<MadeUp>(const Device&)>;
  explicit HandScript(Make make) : make_(std::move(make)) {}

  void run(std::istream& in) {
    for (std::string line; std::getline(in, line);) run_line(std::istringstream(line));
  }

 private:
  static void wait_ms(long ms) {
    const timespec span{ms / 1000, ms % 1000 * 1'000'000};
    ::nanosleep(&span, nullptr);
  }

  static void put(MadeUp& device, const std::string& name, double share) {
    const ControlName* control = find_control(name);
    if (control == nullptr) throw std::runtime_error("no control " + name);
    int value = static_cast<int>(std::lround(share));
    if (control->hat_side != 0) value *= control->hat_side;
    if (control->type == EV_ABS && control->hat_side == 0) {
      const double end = control->kind == ControlKind::centred ? 29500 : 240;
      value = static_cast<int>(std::lround(end * (control->reversed ? -share : share)));
    }
    device.send(control->type, control->code, value);
  }

  /// A stick there and back, a frame each ms.
  static void wiggle(MadeUp& device, long ms) {
    timespec at{};
    ::clock_gettime(CLOCK_MONOTONIC, &at);
    for (long i = 0; i < ms; ++i) {
      device.send(EV_ABS, ABS_X,
                  static_cast<int>(20'000 * std::sin(static_cast<double>(i) * 0.003)) + static_cast<int>(i % 2));
      at.tv_nsec += 1'000'000;
      if (at.tv_nsec >= 1'000'000'000) at = {at.tv_sec + 1, at.tv_nsec - 1'000'000'000};
      ::clock_nanosleep(CLOCK_MONOTONIC, TIMER_ABSTIME, &at, nullptr);
    }
    fmt::print("{} frames sent\n", ms);
  }

  void run_line(std::istringstream line) {
    std::string word, name, what;
    if (!(line >> word) || word[0] == '#') return;
    if (word == "wait") {
      long ms = 0;
      line >> ms;
      return wait_ms(ms);
    }
    line >> name;
    if (word == "plug") {
      line >> what;
      devices_[name] = make_(made_up_device(what));
      return;
    }
    if (word == "unplug") {
      devices_.erase(name);
      return;
    }
    MadeUp& device = *devices_.at(name);
    if (word == "wiggle") {
      long ms = 0;
      line >> ms;
      return wiggle(device, ms);
    }
    double share = 1;
    line >> what;
    if (word == "push" || word == "turn") line >> share;
    put(device, what, word == "release" ? 0 : share);
    if (word != "tap") return;
    wait_ms(60);
    put(device, what, 0);
  }

  Make make_;
  std::map<std::string, std::unique_ptr<MadeUp>> devices_;
};

}  // namespace gyrax::test
