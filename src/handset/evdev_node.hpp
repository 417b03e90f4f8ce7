// One open event node of the kernel. Reading goes straight to the kernel. Private.
#pragma once

#include "node.hpp"

#include <libevdev/libevdev.h>

#include <map>
#include <memory>
#include <string>
#include <system_error>

namespace gyrax {

class EvdevNode final : public HandsetNode {
 public:
  ~EvdevNode() override;
  EvdevNode() = default;
  EvdevNode(EvdevNode&& other) noexcept { *this = std::move(other); }
  EvdevNode& operator=(EvdevNode&& other) noexcept;

  /// Opens a node. Error: why not; the object then stays closed.
  std::error_code open(const std::string& path);
  int descriptor() const override { return fd_; }
  /// False once the kernel has taken the device away, whatever stands under its name now.
  bool alive() const override;
  Device describe() const override;
  std::vector<std::uint16_t> keys_down() const override;
  Got read(std::span<input_event> into, std::size_t& count) override;
  /// Passes over everything that there is to read and asks the kernel for the state now.
  bool state(const AbsoluteBits& reported, std::vector<InputEvent>& out) override;
  /// The kernel gives it back by itself when this process ends.
  bool grab(bool mine) const override;
  void rumble(double strength, int ms) override;
  void light(bool on) override;

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
