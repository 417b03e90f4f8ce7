// Made-up devices in a real kernel, through uinput, moved by a script on standard input (support/hand_script.hpp).
#include "support/hand_script.hpp"

#include <libevdev/libevdev-uinput.h>
#include <libevdev/libevdev.h>

#include <cstdio>
#include <cstring>
#include <iostream>

namespace {

using namespace gyrax;

class UinputDevice final : public test::MadeUp {
 public:
  explicit UinputDevice(const Device& d) : device_(libevdev_new()) {
    libevdev_set_name(device_, d.name.c_str());
    libevdev_set_id_vendor(device_, d.vendor);
    libevdev_set_id_product(device_, d.product);
    libevdev_set_id_bustype(device_, BUS_VIRTUAL);
    for (const std::uint16_t code : d.keys) libevdev_enable_event_code(device_, EV_KEY, code, nullptr);
    for (const std::uint16_t code : d.relative) libevdev_enable_event_code(device_, EV_REL, code, nullptr);
    for (const auto& [code, r] : d.absolute) {
      const input_absinfo info{0, r.minimum, r.maximum, r.fuzz, r.flat, r.resolution};
      libevdev_enable_event_code(device_, EV_ABS, code, &info);
    }
    // Whoever makes a device through uinput has to answer to its rumble; nobody does here.
    if (const auto rumble = d.other.find(EV_FF); rumble != d.other.end())
      for (const std::uint16_t code : rumble->second) libevdev_enable_event_code(device_, EV_FF, code, nullptr);
    if (const int error = libevdev_uinput_create_from_device(device_, LIBEVDEV_UINPUT_OPEN_MANAGED, &made_); error != 0)
      throw std::runtime_error(fmt::format("uinput: {}", std::strerror(-error)));
  }
  ~UinputDevice() override {
    libevdev_uinput_destroy(made_);
    libevdev_free(device_);
  }
  UinputDevice(const UinputDevice&) = delete;
  UinputDevice& operator=(const UinputDevice&) = delete;

  void send(std::uint16_t type, std::uint16_t code, int value) override {
    libevdev_uinput_write_event(made_, type, code, value);
    libevdev_uinput_write_event(made_, EV_SYN, SYN_REPORT, 0);
  }

 private:
  libevdev* device_;
  libevdev_uinput* made_ = nullptr;
};

}  // namespace

int main() {
  std::setvbuf(stdout, nullptr, _IOLBF, 0);
  try {
    test::HandScript([](const Device& device) { return std::make_unique<UinputDevice>(device); }).run(std::cin);
  } catch (const std::exception& error) {
    fmt::print(stderr, "hands: {}\n", error.what());
    return 1;
  }
}
