// One open event node. Reading goes straight to the kernel and never waits; all else (opening, the state, grabbing,
// lights, rumble, closing) may, and belongs to another thread. Private.
#pragma once

#include <gyrax/handset/device.hpp>

#include <libevdev/libevdev.h>
#include <linux/input.h>

#include <bitset>
#include <map>
#include <memory>
#include <span>
#include <string>
#include <system_error>
#include <vector>

namespace gyrax {

/// The absolute controls, by code, that have reported since the node was opened.
using AbsoluteBits = std::bitset<ABS_CNT>;

class EvdevNode {
 public:
  ~EvdevNode();
  EvdevNode() = default;
  EvdevNode(EvdevNode&& other) noexcept { *this = std::move(other); }
  EvdevNode& operator=(EvdevNode&& other) noexcept;

  /// Opens a node. Error: why not; the object then stays closed.
  std::error_code open(const std::string& path);
  int descriptor() const { return fd_; }
  /// False once the kernel has taken the device away, whatever stands under its name now.
  bool alive() const;
  Device describe() const;
  /// The keys that were down, by the kernel's word, when it was opened or its state was last asked for.
  std::vector<std::uint16_t> keys_down() const;

  /// What came of reading. gone: unplugged, or as good as that.
  enum class Got { nothing, events, gone };
  /// The next events, into the front of `into`, with stamps of CLOCK_BOOTTIME. `count`: how many.
  Got read(std::span<input_event> into, std::size_t& count) const;
  /// Passes over everything that there is to read and asks for the state now: a frame of every key, and of every
  /// absolute control that has `reported` or whose value is more than a placeholder. Not while another thread reads.
  /// False: it is gone.
  bool state(const AbsoluteBits& reported, std::vector<InputEvent>& out);

  /// Takes the device from everybody else, or gives it back. The kernel gives it back by itself when this process ends.
  bool grab(bool mine) const;
  /// Shakes for a time; strength 0 to 1. Nothing where the device cannot.
  void rumble(double strength, int ms);
  /// Turns its first light on or back to what it was. Nothing where there is none.
  void light(bool on);

 private:
  struct Free {
    void operator()(libevdev* device) const { libevdev_free(device); }
  };

  int fd_ = -1;
  std::unique_ptr<libevdev, Free> device_;
  std::map<std::uint16_t, std::int32_t> placeholders_;  // of absolute controls, when it was opened
  int effect_ = -1, led_ = -1;
  bool rumbles_ = false, led_was_on_ = false;
};

}  // namespace gyrax
