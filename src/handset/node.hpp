// What readings come from, while it is there: an event node of the kernel, or a board on a wire. Reading never waits;
// all else may, and belongs to another thread. Private.
#pragma once

#include <gyrax/handset/device.hpp>

#include <linux/input.h>

#include <bitset>
#include <span>
#include <vector>

namespace gyrax {

/// The absolute controls, by code, that have reported since the node was opened.
using AbsoluteBits = std::bitset<ABS_CNT>;

class HandsetNode {
 public:
  virtual ~HandsetNode() = default;
  virtual int descriptor() const = 0;
  /// False once it is gone for good.
  virtual bool alive() const = 0;
  virtual Device describe() const = 0;
  /// The keys that were down when it was opened or its state was last asked for.
  virtual std::vector<std::uint16_t> keys_down() const = 0;

  /// What came of reading. gone: unplugged, or as good as that.
  enum class Got { nothing, events, gone };
  /// The next events, into the front of `into`, with stamps of CLOCK_BOOTTIME. `count`: how many.
  virtual Got read(std::span<input_event> into, std::size_t& count) = 0;
  /// Its state now, as a frame: of every key, and of every absolute control that has `reported` or whose value is more
  /// than a placeholder. Not while another thread reads. False: it is gone.
  virtual bool state(const AbsoluteBits& reported, std::vector<InputEvent>& out) = 0;

  /// Takes the device from everybody else, or gives it back. False: it could not.
  virtual bool grab(bool) const { return true; }
  /// Shakes for a time; strength 0 to 1. Nothing where it cannot.
  virtual void rumble(double, int) {}
  /// Turns its first light on or back to what it was. Nothing where there is none.
  virtual void light(bool) {}
};

}  // namespace gyrax
