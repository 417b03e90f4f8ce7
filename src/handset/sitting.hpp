// A device in its seat, and how it goes from the thread that opens to the one that reads and back. Private.
#pragma once

#include "node.hpp"

#include <gyrax/handset/controls.hpp>
#include <gyrax/handset/decoder.hpp>
#include <gyrax/handset/live.hpp>

#include <atomic>
#include <bitset>
#include <memory>
#include <vector>

namespace gyrax {

/// What the reading thread lets others see of a device: each number by itself is the newest.
struct Watched {
  struct Control {
    std::atomic<std::int32_t> raw{0};  // of a dial: counts since it was plugged in
    std::atomic<bool> known{false};
  };
  std::vector<Control> controls = std::vector<Control>(all_controls().size());  // by ControlId
  std::atomic<std::uint64_t> reports{0}, readings{0}, gaps{0};
  std::atomic<int> keys_down{0};

  void note(const Reading& reading) noexcept {
    add(readings, 1);
    if (reading.control == ControlId::gap)
      for (Control& control : controls) control.known.store(false, std::memory_order_relaxed);
    if (index(reading.control) >= controls.size()) return;
    Control& control = controls[index(reading.control)];
    const bool counts = all_controls()[index(reading.control)].kind == ControlKind::counts;
    const std::int32_t before = counts ? control.raw.load(std::memory_order_relaxed) : 0;
    control.raw.store(before + reading.raw, std::memory_order_relaxed);
    control.known.store(true, std::memory_order_relaxed);
  }
  /// What a viewer sees of it now.
  void show(SeenHandset& seen) const {
    for (SeenControl& one : seen.controls) {
      const Control& control = controls[index(one.control)];
      one.known = control.known.load(std::memory_order_relaxed);
      one.raw = control.raw.load(std::memory_order_relaxed);
    }
    seen.reports = reports.load(std::memory_order_relaxed);
    seen.readings = readings.load(std::memory_order_relaxed);
    seen.drops = gaps.load(std::memory_order_relaxed);
  }
  /// By its one writer.
  template <class Number, class Count>
  static void add(std::atomic<Number>& number, Count count) noexcept {
    number.store(number.load(std::memory_order_relaxed) + static_cast<Number>(count), std::memory_order_relaxed);
  }
};

struct Sitting {
  Sitting(std::size_t in_seat, std::shared_ptr<HandsetNode> opened, const Device& device)
      : seat(in_seat), node(std::move(opened)), decoder(id_at<HandsetId>(in_seat), device) {
    for (const std::uint16_t code : node->keys_down()) down.set(code);
    watched->keys_down = static_cast<int>(down.count());
  }

  std::size_t seat;
  std::shared_ptr<HandsetNode> node;  // the reading thread uses its descriptor alone
  const std::shared_ptr<Watched> watched = std::make_shared<Watched>();

  // Of one thread at a time: the reading one's from the hand-over until it gives the device back.
  EventDecoder decoder;
  std::vector<HandsetItem> first;  // to be told before anything that is read
  std::vector<InputEvent> state;   // after a drop: to be decoded before anything that is read
  AbsoluteBits reported;
  std::bitset<KEY_CNT> down;
};

/// From the thread that opens to the one that reads. Without a device: let go of the one in this seat, if it is still
/// read: it is gone, whether or not reading shows that.
struct Handed {
  std::size_t seat = 0;
  Sitting* sitting = nullptr;
};

/// From the one that reads to the one that opens. lost: the kernel dropped events, and the state has to be asked for.
struct GivenBack {
  std::size_t seat = 0;
  enum class Why : std::uint8_t { gone, lost } why = Why::gone;
};

}  // namespace gyrax
