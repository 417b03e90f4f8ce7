// What is plugged in, in words and as JSON.
#include <gyrax/files/json_text.hpp>
#include <gyrax/files/json_version.hpp>
#include <gyrax/handset/controls.hpp>
#include <gyrax/handset/plugged.hpp>

#include <fmt/format.h>
#include <linux/input.h>
#include <nlohmann/json.hpp>

#include <sys/stat.h>
#include <algorithm>
#include <iterator>
#include <sstream>

namespace gyrax {
namespace {

const char* bus_name(std::uint16_t bus) {
  switch (bus) {
    case BUS_USB: return "USB";
    case BUS_BLUETOOTH: return "Bluetooth";
    case BUS_VIRTUAL: return "virtual";
    case BUS_I8042: return "PS/2";
    default: return "bus";
  }
}

std::string counted(std::size_t count, const char* one, const char* many) {
  return count == 1 ? std::string(one) : fmt::format("{} {}", count, many);
}

std::size_t size_of(const Device& device, std::uint16_t type) {
  const auto at = device.other.find(type);
  return at == device.other.end() ? 0 : at->second.size();
}

void add(std::string& list, const char* between, const std::string& word) {
  if (!list.empty()) list += between;
  list += word;
}

std::string indented(const std::string& text) {
  std::istringstream in(text);
  std::string out;
  for (std::string line; std::getline(in, line);) out += "      " + line + "\n";
  return out;
}

constexpr const char* nothing_found =
    "No gamepad, joystick or dial is plugged in.\n"
    "  wired       try another cable: many carry power alone; `dmesg --follow` should say something when you plug it "
    "in\n"
    "  wireless    hold its pairing key until its lights run, pair it in the Bluetooth settings, then press any key to "
    "wake it;\n"
    "              with a receiver of its own, plug that in and switch the pad on beside it\n"
    "  switches    some pads have several modes (a switch beneath, or a key held while plugging in); take the one for "
    "a PC\n"
    "  driver      it is listed by `lsusb` but not here: its kernel module may be missing or not loaded\n"
    "              (look for its name with `modinfo`; small kernels come without hid and joystick modules)\n";

constexpr const char* no_input_folder =
    "There is no /dev/input here: the kernel has no input devices, or this is a container that was not given them.\n";

}  // namespace

std::string abilities(const Device& device) {
  std::size_t sticks = 0, triggers = 0, others = 0;
  if (kind_of(device) == DeviceKind::tilt) return counted(device.absolute.size(), "an axis", "axes");
  for (const char* name : {"stick.left", "stick.right"})
    if (range_of(device, stick(name)->x) != nullptr && range_of(device, stick(name)->y) != nullptr) ++sticks;
  for (const char* name : {"trigger.left", "trigger.right"})
    if (range_of(device, find_control(name)->id) != nullptr) ++triggers;
  const bool hat = device.absolute.contains(ABS_HAT0X) || device.keys.contains(BTN_DPAD_LEFT);
  const std::size_t hats =
      (device.absolute.contains(ABS_HAT0X) ? 1u : 0u) + (device.absolute.contains(ABS_HAT0Y) ? 1u : 0u);
  const std::size_t known = 2 * sticks + triggers + hats;
  others = device.absolute.size() > known ? device.absolute.size() - known : 0;
  std::string list;
  if (sticks > 0) add(list, ", ", counted(sticks, "a stick", "sticks"));
  if (triggers > 0) add(list, ", ", counted(triggers, "a trigger", "triggers"));
  if (hat) add(list, ", ", "a hat");
  if (others > 0) add(list, ", ", counted(others, "an axis", sticks + triggers > 0 ? "more axes" : "axes"));
  if (!device.relative.empty()) add(list, ", ", counted(device.relative.size(), "a dial", "dials"));
  if (!device.keys.empty()) add(list, ", ", counted(device.keys.size(), "a key", "keys"));
  std::string signs;
  if (const auto ff = device.other.find(EV_FF); ff != device.other.end() && ff->second.contains(FF_RUMBLE))
    add(signs, ", ", "rumble");
  if (size_of(device, EV_LED) > 0) add(signs, ", ", counted(size_of(device, EV_LED), "a light", "lights"));
  if (!signs.empty()) add(list, "; ", signs);
  return list.empty() ? "nothing to move or press" : list;
}

std::string plugged_text(const std::vector<Product>& products) {
  std::string all;
  const auto out = std::back_inserter(all);
  for (const Product& product : products) {
    const Device& first = product.nodes.front().device;
    fmt::format_to(out, "{}\n  {}, {} {}", product.name, name_of(product.kind), bus_name(first.bus), id_of(first));
    if (!first.unique.empty()) fmt::format_to(out, ", unique id {}", first.unique);
    if (!first.port.empty()) fmt::format_to(out, ", at {}", first.port);
    if (product.battery) fmt::format_to(out, ", battery {} % ({})", product.battery->percent, product.battery->status);
    all += '\n';
    for (const Node& node : product.nodes) {
      fmt::format_to(out, "    {:<20} {}: {}\n", node.path, name_of(node.kind), abilities(node.device));
      if (!node.readable) all += indented("NOT READABLE: " + node.trouble);
    }
    fmt::format_to(out, "  in a rig: device = {{ id = \"{}\", name = \"{}\" }}\n\n", id_of(first), first.name);
  }
  const bool only_keys =
      std::all_of(products.begin(), products.end(), [](const Product& p) { return p.kind == DeviceKind::keypad; });
  if (!only_keys) return all + "See one move: gyrax watch\n";
  struct stat about {};
  if (::stat("/dev/input", &about) != 0) all += no_input_folder;
  return all + nothing_found;
}

std::string plugged_json(const std::vector<Product>& products) {
  using Json = nlohmann::ordered_json;
  Json all = Json::array();
  for (const Product& product : products) {
    const Device& first = product.nodes.front().device;
    Json one{{"name", product.name}, {"kind", name_of(product.kind)}, {"id", id_of(first)},
             {"bus", first.bus},     {"unique", first.unique},        {"port", first.port},
             {"battery", nullptr},   {"nodes", Json::array()}};
    if (product.battery) one["battery"] = {{"percent", product.battery->percent}, {"status", product.battery->status}};
    for (const Node& node : product.nodes) {
      Json controls = Json::array();
      for (const ControlId control : controls_of(node.device)) controls.push_back(control_name(control));
      one["nodes"].push_back({{"path", node.path},
                              {"name", node.device.name},
                              {"kind", name_of(node.kind)},
                              {"readable", node.readable},
                              {"trouble", node.trouble},
                              {"abilities", abilities(node.device)},
                              {"controls", controls}});
    }
    all.push_back(one);
  }
  return dumped(Json{{"gyrax_json", json_version}, {"handsets", all}}, 2) + "\n";
}

}  // namespace gyrax
