// What libudev tells of input devices: nodes, what they can send by sysfs alone, and news of plugging. Private.
#pragma once

#include <gyrax/handset/device.hpp>

#include <libudev.h>

#include <array>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace gyrax {

/// One event node as sysfs describes it; nothing has been opened. Ends of absolute controls are not known here.
struct UdevNode {
  std::string syspath, node;  ///< "/sys/devices/…/event5", "/dev/input/event5"
  std::string parent;         ///< syspath of the device that carries it (the USB or Bluetooth device)
  Device device;
};

struct UdevBattery {
  std::string syspath, status;
  int percent = 0;
};

/// What a monitor tells.
struct UdevNews {
  bool removed = false;
  UdevNode node;
};

class Udev {
 public:
  /// Errors: std::runtime_error where libudev cannot be used at all.
  Udev();
  std::vector<UdevNode> nodes() const;
  std::vector<UdevBattery> batteries() const;

  /// Starts to listen. From the kernel itself and from udev's daemon: the first works without a daemon, the second
  /// comes when permissions are set. News may come twice.
  void listen();
  /// Descriptors to poll; -1 where one of them could not be had.
  std::array<int, 2> descriptors() const;
  /// The next news, without waiting.
  std::optional<UdevNews> news();

 private:
  template <auto Free>
  struct Freed {
    template <class T>
    void operator()(T* p) const {
      Free(p);
    }
  };
  std::unique_ptr<udev, Freed<udev_unref>> udev_;
  using Monitor = std::unique_ptr<udev_monitor, Freed<udev_monitor_unref>>;
  std::array<Monitor, 2> monitors_;
};

}  // namespace gyrax
