#include "udev.hpp"

#include <gyrax/handset/plugged.hpp>

#include <fmt/format.h>

#include <fcntl.h>
#include <grp.h>
#include <pwd.h>
#include <sys/stat.h>
#include <unistd.h>
#include <algorithm>
#include <cerrno>
#include <cstring>
#include <map>

namespace gyrax {
namespace {

bool of_use(DeviceKind kind) { return kind != DeviceKind::pointer && kind != DeviceKind::other; }

std::string group_name(gid_t id) {
  const group* entry = ::getgrgid(id);
  return entry != nullptr ? entry->gr_name : std::to_string(id);
}

std::string owner_name(uid_t id) {
  const passwd* entry = ::getpwuid(id);
  return entry != nullptr ? entry->pw_name : std::to_string(id);
}

/// What to do about a node that exists and may not be read.
std::string no_permission(const std::string& path, const Device& device) {
  struct stat about {};
  if (::stat(path.c_str(), &about) != 0) return "it went away just now";
  const std::string group = group_name(about.st_gid);
  const bool helps = (about.st_mode & S_IRGRP) != 0 && about.st_gid != 0;
  std::string text = fmt::format("it belongs to {}:{}, mode {:03o}, and you are not allowed to read it.\n",
                                 owner_name(about.st_uid), group, about.st_mode & 0777u);
  if (helps)
    text += fmt::format("Now:    sudo usermod -aG {} $USER   and log in again (that opens all input devices to you)\n",
                        group);
  text += fmt::format(
      "Better: a line for this device alone in /etc/udev/rules.d/70-gyrax-handset.rules, then plug it in again:\n"
      "        SUBSYSTEM==\"input\", ATTRS{{id/vendor}}==\"{:04x}\", ATTRS{{id/product}}==\"{:04x}\", TAG+=\"uaccess\"",
      device.vendor, device.product);
  return text;
}

Node look_at(const UdevNode& found) {
  Node node{found.node, found.device, kind_of(found.device), false, {}};
  const int fd = ::open(found.node.c_str(), O_RDONLY | O_NONBLOCK | O_CLOEXEC);
  node.readable = fd >= 0;
  if (fd >= 0) {
    ::close(fd);
  } else if (errno == EACCES || errno == EPERM) {
    node.trouble = no_permission(found.node, found.device);
  } else {
    node.trouble = errno == ENOENT || errno == ENODEV ? "it went away just now"
                                                      : fmt::format("it cannot be opened: {}", std::strerror(errno));
  }
  return node;
}

}  // namespace

std::vector<Product> plugged_products(bool everything) {
  const Udev udev;
  std::map<std::string, Product> by_carrier;
  for (const UdevNode& found : udev.nodes()) by_carrier[found.parent].nodes.push_back(look_at(found));
  const std::vector<UdevBattery> batteries = udev.batteries();
  std::vector<Product> products;
  for (auto& [carrier, product] : by_carrier) {
    std::sort(product.nodes.begin(), product.nodes.end(),
              [](const Node& a, const Node& b) { return std::pair(a.kind, a.path) < std::pair(b.kind, b.path); });
    product.name = product.nodes.front().device.name;
    product.kind = product.nodes.front().kind;
    for (const UdevBattery& battery : batteries)
      if (battery.syspath.starts_with(carrier + "/")) product.battery = Battery{battery.percent, battery.status};
    if (everything || of_use(product.kind)) products.push_back(std::move(product));
  }
  std::sort(products.begin(), products.end(), [](const Product& a, const Product& b) {
    return std::pair(a.nodes.front().path.size(), a.nodes.front().path) <
           std::pair(b.nodes.front().path.size(), b.nodes.front().path);
  });
  return products;
}

}  // namespace gyrax
