// The reading side of the live handsets, in the thread that takes the readings: waits for all nodes in one place, reads
// and decodes them. In: devices handed over, events. Out: items in order; devices given back. Never: a wait, a lock, an
// allocation while nothing is plugged in or out; more of one node at a time than a bound, so that a flood from one
// device delays no other. Private.
#pragma once

#include "descriptor.hpp"
#include "recorder.hpp"
#include "sitting.hpp"

#include <gyrax/threads/boot_clock.hpp>
#include <gyrax/threads/queue.hpp>

#include <array>

namespace gyrax {

class NodeReader {
 public:
  /// `given_back`: set whenever a device is.
  NodeReader(const BootClock& clock, Recorder& recorder, EventDescriptor& given_back);
  ~NodeReader();
  NodeReader(const NodeReader&) = delete;
  NodeReader& operator=(const NodeReader&) = delete;

  // The reading thread.
  bool next(HandsetItem& item) noexcept;
  /// Readable whenever next() has something new.
  int descriptor() const noexcept { return all_; }

  // The opening thread.
  void hand_over(const Handed& one) noexcept;
  bool take_back(GivenBack& one) noexcept { return given_back_.pop(one); }

 private:
  /// Events of one node in one turn: what the kernel keeps for a usual pad.
  static constexpr std::size_t most_events = 128;
  static constexpr std::size_t most_nodes = 8;  // in one turn; the kernel lets them take turns

  void gather() noexcept;
  void take_handed() noexcept;
  void take(Sitting& sitting) noexcept;
  void read(Sitting& sitting, bool hung_up) noexcept;
  void decode(Sitting& sitting, const InputEvent& event, Time arrival) noexcept;
  void tell(Sitting& sitting) noexcept;
  void give_back(Sitting& sitting, GivenBack::Why why) noexcept;

  const BootClock clock_;
  Recorder& recorder_;
  EventDescriptor& told_;
  int all_ = -1;  // every node's descriptor, and handed_over_
  EventDescriptor handed_over_;
  std::array<Sitting*, max_handsets> by_seat_{};
  Queue<Handed> handed_;
  Queue<GivenBack> given_back_;
  std::vector<HandsetItem> items_;  // of this turn
  std::size_t next_ = 0;
  bool turn_is_over_ = false;
  std::vector<Reading> readings_;
};

}  // namespace gyrax
