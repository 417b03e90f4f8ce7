#include "udev.hpp"

#include <linux/input.h>

#include <charconv>
#include <cstring>
#include <sstream>
#include <stdexcept>

namespace gyrax {
namespace {

struct Unref {
  void operator()(udev_device* d) const { udev_device_unref(d); }
  void operator()(udev_enumerate* e) const { udev_enumerate_unref(e); }
};
using OneDevice = std::unique_ptr<udev_device, Unref>;
using Enumerate = std::unique_ptr<udev_enumerate, Unref>;

std::string text(const char* value) { return value != nullptr ? value : ""; }

std::string attribute(udev_device* device, const char* name) {
  std::string value = text(udev_device_get_sysattr_value(device, name));
  while (!value.empty() && value.back() == '\n') value.pop_back();
  return value;
}

std::uint16_t hex(const std::string& digits) {
  std::uint16_t value = 0;
  std::from_chars(digits.data(), digits.data() + digits.size(), value, 16);
  return value;
}

/// sysfs writes a mask as words of a long's size, the highest first.
std::set<std::uint16_t> mask(const std::string& words) {
  std::vector<unsigned long> all;
  std::istringstream in(words);
  for (std::string word; in >> word;) {
    unsigned long value = 0;
    std::from_chars(word.data(), word.data() + word.size(), value, 16);
    all.push_back(value);
  }
  constexpr std::size_t bits = 8 * sizeof(unsigned long);
  std::set<std::uint16_t> codes;
  for (std::size_t w = 0; w < all.size(); ++w)
    for (std::size_t bit = 0; bit < bits; ++bit)
      if ((all[all.size() - 1 - w] >> bit & 1u) != 0) codes.insert(static_cast<std::uint16_t>(w * bits + bit));
  return codes;
}

std::optional<UdevNode> node_of(udev_device* event) {
  if (!text(udev_device_get_sysname(event)).starts_with("event")) return std::nullopt;
  UdevNode node;
  node.syspath = text(udev_device_get_syspath(event));
  node.node = text(udev_device_get_devnode(event));
  udev_device* input = udev_device_get_parent_with_subsystem_devtype(event, "input", nullptr);
  if (input == nullptr) return node;  // gone already, but for its name
  Device& d = node.device;
  d.name = attribute(input, "name");
  d.port = attribute(input, "phys");
  d.unique = attribute(input, "uniq");
  d.bus = hex(attribute(input, "id/bustype"));
  d.vendor = hex(attribute(input, "id/vendor"));
  d.product = hex(attribute(input, "id/product"));
  d.version = hex(attribute(input, "id/version"));
  d.properties = mask(attribute(input, "properties"));
  d.keys = mask(attribute(input, "capabilities/key"));
  d.relative = mask(attribute(input, "capabilities/rel"));
  for (const std::uint16_t code : mask(attribute(input, "capabilities/abs"))) d.absolute[code] = {};
  for (const auto& [type, name] : {std::pair{EV_LED, "capabilities/led"}, std::pair{EV_FF, "capabilities/ff"}})
    if (auto codes = mask(attribute(input, name)); !codes.empty())
      d.other[static_cast<std::uint16_t>(type)] = std::move(codes);
  udev_device* carrier = udev_device_get_parent_with_subsystem_devtype(event, "usb", "usb_device");
  if (carrier == nullptr) carrier = udev_device_get_parent_with_subsystem_devtype(event, "hid", nullptr);
  if (carrier == nullptr) carrier = input;
  node.parent = text(udev_device_get_syspath(carrier));
  return node;
}

template <class Take>
void each(udev* context, const char* subsystem, Take take) {
  const Enumerate list(udev_enumerate_new(context));
  udev_enumerate_add_match_subsystem(list.get(), subsystem);
  udev_enumerate_scan_devices(list.get());
  for (udev_list_entry* at = udev_enumerate_get_list_entry(list.get()); at != nullptr;
       at = udev_list_entry_get_next(at))
    // It may be gone since the list was made.
    if (const OneDevice device(udev_device_new_from_syspath(context, udev_list_entry_get_name(at))); device)
      take(device.get());
}

}  // namespace

Udev::Udev() : udev_(udev_new()) {
  if (!udev_) throw std::runtime_error("libudev cannot be used");
}

std::vector<UdevNode> Udev::nodes() const {
  std::vector<UdevNode> all;
  each(udev_.get(), "input", [&](udev_device* device) {
    auto node = node_of(device);
    if (node && !node->node.empty()) all.push_back(std::move(*node));
  });
  return all;
}

std::vector<UdevBattery> Udev::batteries() const {
  std::vector<UdevBattery> all;
  each(udev_.get(), "power_supply", [&](udev_device* device) {
    const std::string capacity = attribute(device, "capacity");
    int percent = -1;
    std::from_chars(capacity.data(), capacity.data() + capacity.size(), percent);
    if (percent >= 0) all.push_back({text(udev_device_get_syspath(device)), attribute(device, "status"), percent});
  });
  return all;
}

void Udev::listen() {
  const char* const sources[] = {"kernel", "udev"};
  for (std::size_t i = 0; i < monitors_.size(); ++i) {
    Monitor monitor(udev_monitor_new_from_netlink(udev_.get(), sources[i]));
    if (!monitor || udev_monitor_filter_add_match_subsystem_devtype(monitor.get(), "input", nullptr) < 0) continue;
    if (udev_monitor_enable_receiving(monitor.get()) >= 0) monitors_[i] = std::move(monitor);
  }
}

std::array<int, 2> Udev::descriptors() const {
  const auto fd = [](const Monitor& monitor) { return monitor ? udev_monitor_get_fd(monitor.get()) : -1; };
  return {fd(monitors_[0]), fd(monitors_[1])};
}

std::optional<UdevNews> Udev::news() {
  for (Monitor& monitor : monitors_) {
    if (!monitor) continue;
    while (const OneDevice device{udev_monitor_receive_device(monitor.get())}) {
      auto node = node_of(device.get());
      if (!node) continue;
      return UdevNews{text(udev_device_get_action(device.get())) == "remove", std::move(*node)};
    }
  }
  return std::nullopt;
}

}  // namespace gyrax
