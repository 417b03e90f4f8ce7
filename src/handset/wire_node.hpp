// A handset of one's own parts on a wire: a board whose inputs are named as controls are. Its readings become the
// events that the kernel would send for such a device. Private.
//
// In: bytes. Out: events; what it is. Never: a set, or anything else that moves a channel; a wait once it has settled.
#pragma once

#include "node.hpp"

#include <gyrax/handset/wired.hpp>
#include <gyrax/threads/boot_clock.hpp>
#include <gyrax/wire/board.hpp>
#include <gyrax/wire/far_clock.hpp>

#include <array>
#include <atomic>
#include <string>
#include <vector>

namespace gyrax {

class WireNode final : public HandsetNode {
 public:
  /// `seed`: another one each time; its session's number comes from it.
  WireNode(const WiredPlace& place, const BootClock& clock, std::uint64_t seed);

  /// Greets it and asks for its inputs; waits for an answer for a moment. True once all of them have been read: from
  /// then on it is a node like others.
  bool settle();
  /// What is wrong so far, as a sentence; empty: nothing.
  std::string trouble() const;
  /// It answers, and is no handset.
  bool is_none() const { return is_none_; }

  int descriptor() const override { return descriptor_; }
  bool alive() const override;
  Device describe() const override { return device_; }
  std::vector<std::uint16_t> keys_down() const override;
  Got read(std::span<input_event> into, std::size_t& count) override;
  bool state(const AbsoluteBits& reported, std::vector<InputEvent>& out) override;

 private:
  enum class State : std::uint8_t { greeting, asking, listening };
  struct Input {
    std::uint8_t channel = 0;
    std::uint16_t type = 0, code = 0;
    bool seen = false, valid = false;
    std::uint8_t changes = 0;
    std::int32_t raw = 0;
  };
  /// Events under way to whoever reads.
  struct Out {
    std::span<input_event> room;
    std::size_t count = 0;
    bool gap = false;
  };

  void take(const wire::Frame& frame, Time now, Out* out);
  void take_welcome(const wire::Welcome& welcome, std::uint32_t session);
  void take_channel(const wire::ChannelInfo& info);
  void take_readings(const wire::Frame& frame, Time now, Out* out);
  void take_input(Input& input, const wire::InputReading& reading, Time event, Out* out);
  void put(Out* out, const Input& input, std::int32_t value, Time event) const;
  void ask(Time now);
  void send(wire::Kind kind, const wire::Writer& out, Time now);
  std::size_t most_in_a_frame() const;
  std::uint8_t wire_every_ms(std::size_t most) const;
  bool is_whole() const;

  const BootClock clock_;
  const WiredPlace place_;
  wire::Port port_;
  wire::Receiver in_;
  wire::FarClock far_clock_;
  std::array<std::uint8_t, wire::max_frame> bytes_{};
  std::array<Time, 16> sent_at_{};  // by sequence
  State state_ = State::greeting;
  std::uint16_t number_, sequence_ = 0, reading_ = 0;  // reading_: the number of the last readings
  bool numbered_ = false;
  std::uint32_t session_ = 0;
  std::uint8_t channels_ = 0, channel_ = 0;
  int tries_ = 0, descriptor_ = -1;
  bool waits_ = false, is_none_ = false;
  Time asked_at_{}, oldest_{};
  Device device_;
  std::vector<Input> inputs_;
  std::vector<std::string> unused_;
  std::atomic<std::int64_t> heard_ns_{0};
  std::atomic<bool> lost_{false};
};

}  // namespace gyrax
