/// What is plugged in: every product with its event nodes, and whether this user may read them.
///
/// In: sysfs and /dev, through libudev. Out: products, each with its nodes. Never: an event; a node is opened only to
/// see whether it may be, and closed at once.
///
///     for (const gyrax::Product& product : gyrax::plugged_products()) …
#pragma once

#include <gyrax/handset/device.hpp>

#include <optional>
#include <string>
#include <vector>

namespace gyrax {

struct Node {
  std::string path;  ///< "/dev/input/event5"
  Device device;
  DeviceKind kind = DeviceKind::other;
  bool readable = false;
  std::string trouble;  ///< if not readable: why, and what to do, as sentences
};

struct Battery {
  int percent = 0;
  std::string status;  ///< the kernel's word: "Discharging", "Full" …
};

/// What one plug or one pairing brings: several nodes, as keys, a tilt sensor and a touch surface.
struct Product {
  std::string name;
  DeviceKind kind = DeviceKind::other;  ///< of its first node that hands use
  std::vector<Node> nodes;              ///< those that hands use first
  std::optional<Battery> battery;
};

/// Every product with at least one node of a kind that a rig can use; with `everything` all of them. By node path.
/// Errors: std::runtime_error where libudev cannot be used.
std::vector<Product> plugged_products(bool everything = false);

/// For a terminal of 100 columns; with advice where nothing is found or may be read.
std::string plugged_text(const std::vector<Product>& products);
/// The same facts as a JSON document.
std::string plugged_json(const std::vector<Product>& products);
/// What a device can do: "2 sticks, 2 triggers, a hat, 11 keys; rumble, 4 lights".
std::string abilities(const Device& device);

}  // namespace gyrax
