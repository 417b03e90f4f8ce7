// Made-up devices in a real kernel, through uinput, moved by a script on standard input. A line is one of
//   plug NAME pad|keypad|dial     unplug NAME     press NAME CONTROL     release NAME CONTROL
//   push NAME CONTROL SHARE       tap NAME CONTROL    turn NAME CONTROL COUNTS
//   wiggle NAME MS                (a stick at 1 kHz, and its count of frames is said)
//   wait MS                       say TEXT
#include <gyrax/handset/controls.hpp>
#include <gyrax/testing/hands.hpp>

#include <fmt/format.h>
#include <libevdev/libevdev-uinput.h>
#include <libevdev/libevdev.h>
#include <linux/input.h>

#include <cmath>
#include <cstdio>
#include <cstring>
#include <ctime>
#include <iostream>
#include <map>
#include <memory>
#include <sstream>
#include <stdexcept>
#include <string>

namespace {

using namespace gyrax;

void wait_ms(long ms) {
  const timespec span{ms / 1000, ms % 1000 * 1'000'000};
  ::nanosleep(&span, nullptr);
}

class Made {
 public:
  explicit Made(const std::string& kind) : device_(libevdev_new()) {
    libevdev_set_id_vendor(device_, 0x1209);
    libevdev_set_id_bustype(device_, BUS_VIRTUAL);
    if (kind == "pad") {
      pad();
    } else if (kind == "keypad") {
      libevdev_set_name(device_, "Bench keypad (made up)");
      libevdev_set_id_product(device_, 2);
      for (int code = KEY_1; code <= KEY_KPDOT; ++code) libevdev_enable_event_code(device_, EV_KEY, static_cast<unsigned>(code), nullptr);
      libevdev_enable_event_code(device_, EV_KEY, KEY_KPENTER, nullptr);
    } else {
      libevdev_set_name(device_, "Bench dial (made up)");
      libevdev_set_id_product(device_, 3);
      for (const unsigned code : {REL_WHEEL, REL_WHEEL_HI_RES, REL_DIAL}) libevdev_enable_event_code(device_, EV_REL, code, nullptr);
    }
    if (const int error = libevdev_uinput_create_from_device(device_, LIBEVDEV_UINPUT_OPEN_MANAGED, &made_); error != 0)
      throw std::runtime_error(fmt::format("uinput: {}", std::strerror(-error)));
    fmt::print("{} is {}\n", kind, libevdev_uinput_get_devnode(made_));
  }
  ~Made() {
    libevdev_uinput_destroy(made_);
    libevdev_free(device_);
  }
  Made(const Made&) = delete;
  Made& operator=(const Made&) = delete;

  void send(unsigned type, unsigned code, int value) {
    libevdev_uinput_write_event(made_, type, code, value);
    libevdev_uinput_write_event(made_, EV_SYN, SYN_REPORT, 0);
  }
  void control(const std::string& name, double share) {
    const ControlName* control = find_control(name);
    if (control == nullptr) throw std::runtime_error("no control " + name);
    int value = static_cast<int>(std::lround(share));
    if (control->hat_side != 0) value *= control->hat_side;
    if (control->type == EV_ABS && control->hat_side == 0) {
      const double end = control->shape == ControlShape::centred ? 32767 : 255;
      value = static_cast<int>(std::lround(end * (control->reversed ? -share : share)));
    }
    send(control->type, control->code, value);
  }
  /// A stick there and back, a frame each ms.
  void wiggle(long ms) {
    timespec at{};
    ::clock_gettime(CLOCK_MONOTONIC, &at);
    for (long i = 0; i < ms; ++i) {
      send(EV_ABS, ABS_X, static_cast<int>(20'000 * std::sin(static_cast<double>(i) * 0.003)) + static_cast<int>(i % 2));
      at.tv_nsec += 1'000'000;
      if (at.tv_nsec >= 1'000'000'000) at = {at.tv_sec + 1, at.tv_nsec - 1'000'000'000};
      ::clock_nanosleep(CLOCK_MONOTONIC, TIMER_ABSTIME, &at, nullptr);
    }
    fmt::print("{} frames sent\n", ms);
  }

 private:
  void pad() {
    const Device pad = testing::Hands(1).track().device;
    libevdev_set_name(device_, pad.name.c_str());
    libevdev_set_id_product(device_, pad.product);
    for (const std::uint16_t code : pad.keys) libevdev_enable_event_code(device_, EV_KEY, code, nullptr);
    for (const auto& [code, r] : pad.absolute) {
      // No fuzz: the kernel would swallow small moves, and this counts what arrives.
      const input_absinfo info{0, r.minimum, r.maximum, 0, r.flat, r.resolution};
      libevdev_enable_event_code(device_, EV_ABS, code, &info);
    }
  }
  libevdev* device_;
  libevdev_uinput* made_ = nullptr;
};

void run_line(std::istringstream line, std::map<std::string, std::unique_ptr<Made>>& devices) {
  std::string word, name, what;
  if (!(line >> word) || word[0] == '#') return;
  if (word == "wait") {
    long ms = 0;
    line >> ms;
    return wait_ms(ms);
  }
  if (word == "say") {
    std::getline(line, what);
    fmt::print("hands:{}\n", what);
    return;
  }
  line >> name;
  if (word == "plug") {
    line >> what;
    devices[name] = std::make_unique<Made>(what);
    return;
  }
  if (word == "unplug") {
    devices.erase(name);
    return;
  }
  Made& device = *devices.at(name);
  double share = 1;
  if (word == "wiggle") {
    long ms = 0;
    line >> ms;
    return device.wiggle(ms);
  }
  line >> what;
  if (word == "push" || word == "turn") line >> share;
  device.control(what, word == "release" ? 0 : share);
  if (word != "tap") return;
  wait_ms(60);
  device.control(what, 0);
}

}  // namespace

int main() {
  std::setvbuf(stdout, nullptr, _IOLBF, 0);
  std::map<std::string, std::unique_ptr<Made>> devices;
  try {
    for (std::string line; std::getline(std::cin, line);) run_line(std::istringstream(line), devices);
  } catch (const std::exception& error) {
    fmt::print(stderr, "hands: {}\n", error.what());
    return 1;
  }
}
