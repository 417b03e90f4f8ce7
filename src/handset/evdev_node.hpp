// One open event node, through libevdev: reading with its resynchronising, grabbing, lights and rumble. Private.
#pragma once

#include <gyrax/handset/device.hpp>

#include <libevdev/libevdev.h>

#include <map>
#include <memory>
#include <string>
#include <system_error>
#include <vector>

namespace gyrax {

class EvdevNode {
 public:
  /// What came of reading. gone: unplugged, or as good as that.
  enum class Got { nothing, events, gone };

  ~EvdevNode();
  EvdevNode() = default;
  EvdevNode(EvdevNode&& other) noexcept { *this = std::move(other); }
  EvdevNode& operator=(EvdevNode&& other) noexcept;

  /// Opens a node. Error: why not; the object then stays closed.
  std::error_code open(const std::string& path);
  bool is_open() const { return fd_ >= 0; }
  int descriptor() const { return fd_; }
  /// False once the kernel has taken the device away, whatever stands under its name now.
  bool alive() const;

  Device describe() const;
  /// The keys that are down now, by the kernel's word.
  std::vector<std::uint16_t> keys_down() const;
  bool any_key_down() const;

  /// What there is to read, at most `most` events, in order, with stamps of CLOCK_BOOTTIME in µs. Where the kernel
  /// dropped some, they come as SYN_DROPPED, its SYN_REPORT, and a frame of the state now: every key, and every
  /// absolute control whose value is more than a placeholder.
  Got read(std::vector<InputEvent>& out, std::size_t most = 256);
  /// Passes over everything that there is to read, and gives the same three as after a drop, with the number of events
  /// passed over as the value of SYN_DROPPED: for when events were lost further on.
  Got read_over(std::vector<InputEvent>& out);

  /// Takes the device from everybody else, or gives it back. The kernel gives it back by itself when this process ends.
  bool grab(bool mine);
  /// Shakes for a time; strength 0 to 1. Nothing where the device cannot.
  void rumble(double strength, int ms);
  /// Turns its first light on or back to what it was. Nothing where there is none.
  void light(bool on);

 private:
  struct Free {
    void operator()(libevdev* device) const { libevdev_free(device); }
  };
  void note(const input_event& event);
  void resync(std::vector<InputEvent>& out, std::int64_t as_of_us, std::int32_t lost);

  int fd_ = -1;
  std::unique_ptr<libevdev, Free> device_;
  std::map<std::uint16_t, std::int32_t> placeholders_;  // of absolute controls that have not reported
  int effect_ = -1, led_ = -1, led_was_ = 0;
};

}  // namespace gyrax
