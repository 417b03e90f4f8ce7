/// What is said to a drive or a PLC that has registers: set points, a control word, a heartbeat; and what is heard.
///
/// In: the engine's last frame, registers that were read, the time. Out: registers to write, reports. Never: a
/// transaction, a wait; a word to a far end of which nothing has been heard yet, or of a frame that is no longer valid:
/// then its heartbeat stands still, and it stops by itself.
///
///     RegisterTalk talk(rig, link);
///     talk.hear(read, asked, now);
///     write(talk.next(told, now));
#pragma once

#include <gyrax/base/link_types.hpp>
#include <gyrax/rig/rig.hpp>

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace gyrax {

/// Bits of LinkReport::faults.
inline constexpr std::uint32_t registers_came_late = 1, registers_refused = 2, registers_wrong = 4,
                               registers_came_back = 8, drive_has_fault = 16, drive_switched_off = 32,
                               drive_not_on_in_time = 64, drive_in_no_state = 128;

/// Puts a number of counts, rounded, and kept inside what its type holds, into the register at `at` and the next. Of a
/// bit only one that is on is put.
void put_counts(std::uint16_t* at, const RegisterWord& word, double counts, bool low_word_first) noexcept;
double get_counts(const std::uint16_t* at, const RegisterWord& word, bool low_word_first) noexcept;

/// The engine's last frame, as it is handed over.
struct RegistersTold {
  std::uint32_t sequence = 0;
  Time valid_until{};  ///< no frame yet: the beginning of time
  std::vector<AxisWord> axes;
  std::vector<std::uint8_t> switches;
  std::optional<ActionOrder> order{};
};

struct RegistersHeard {
  std::uint32_t number = 0;  ///< of the report, from 1; 0: none yet
  Time measured{};           ///< when it was asked for: never later than it was measured
  Span took{};               ///< until it was there
  std::uint16_t status = 0;
  std::uint32_t faults = 0;
  bool waits = false;
  std::vector<AxisReport> axes;
  std::vector<InputReport> inputs;
  std::vector<ActionReport> actions;  ///< of the order that is told: what has become of it, again and again
};

class RegisterTalk {
 public:
  /// Errors: std::invalid_argument where the link has no registers.
  RegisterTalk(const Rig& rig, LinkId link);
  RegisterTalk(const RegisterTalk&) = delete;  // it points into its own map
  RegisterTalk& operator=(const RegisterTalk&) = delete;

  std::uint16_t told_at() const noexcept { return map_.tells.empty() ? 0 : map_.tells.front().word.at; }
  std::uint16_t heard_at() const noexcept { return map_.hears.empty() ? 0 : map_.hears.front().word.at; }
  std::size_t heard_size() const noexcept { return RegisterMap::span_of(map_.hears); }
  bool reads_input_registers() const noexcept { return map_.input_registers; }
  std::uint16_t coils_at() const noexcept { return map_.coils.empty() ? 0 : map_.coils.front().word.at; }
  std::uint16_t discretes_at() const noexcept { return map_.discretes.empty() ? 0 : map_.discretes.front().word.at; }
  std::size_t discretes_size() const noexcept { return RegisterMap::span_of(map_.discretes); }

  /// What is to be written now, from told_at() on; empty: nothing.
  std::span<const std::uint16_t> next(const RegistersTold& told, Time now);
  /// Coils to be written after it, from coils_at() on, a byte each; empty where there are none, or next() was.
  std::span<const std::uint8_t> next_coils() const noexcept { return coils_; }
  /// What is to be written besides, one in each cycle: the next write of the action that is ordered, or one that
  /// cancels what was ended before it was done. Then wrote() tells whether that was taken.
  std::optional<RegisterWrite> next_write(const RegistersTold& told, Time now);
  void wrote(bool taken, const std::string& why);
  /// Discrete inputs that were read, from discretes_at() on, a byte each: part of what is heard next.
  void hear_discretes(std::span<const std::uint8_t> bits) noexcept;
  /// What was read, from heard_at() on: heard_size() of them. False where its heartbeat stood still, so that it says
  /// nothing new.
  bool hear(std::span<const std::uint16_t> registers, Time asked, Time now);
  const RegistersHeard& heard() const noexcept { return heard_; }
  const RegisterMap& map() const noexcept { return map_; }
  /// A transaction failed: its bit is in the next report.
  void failed(std::uint32_t fault) noexcept { once_ |= fault; }
  /// Its connection was lost: until it has been heard again nothing is told.
  void lost();
  /// The next words for a person.
  std::optional<std::string> said();

 private:
  std::uint32_t judge(std::uint16_t status, Time now);
  std::uint16_t control(Time now) const noexcept;
  double set_point(const RegisterEntry& entry, const AxisWord& word) const noexcept;
  void put(const RegisterWord& word, double counts) noexcept {
    put_counts(&registers_[word.at - told_at()], word, counts, map_.low_word_first);
  }
  double get(std::span<const std::uint16_t> registers, const RegisterWord& word) const noexcept {
    return get_counts(&registers[word.at - heard_at()], word, map_.low_word_first);
  }
  void say(std::uint32_t faults, std::uint16_t status);

  std::string name_;
  RegisterMap map_;
  Span switch_on_{};
  std::vector<InputInfo> inputs_;  // by InputInfo::channel
  std::vector<std::uint16_t> registers_;
  std::vector<std::uint8_t> all_coils_;
  std::span<const std::uint8_t> coils_;  // that are to be written
  RegistersHeard heard_;
  std::optional<std::uint16_t> beat_;
  struct Act {
    ActionId id{};
    std::string name;
    std::vector<RegisterWrite> writes, cancels;
  };
  void take_order(const std::optional<ActionOrder>& order);
  void end_action(ActionReport::Result result);
  std::vector<Act> acts_;
  std::optional<ActionOrder> order_;
  const Act* act_ = nullptr;  // under way
  std::size_t next_write_ = 0;
  std::vector<RegisterWrite> cancels_;  // still to be written, the last first
  bool has_heard_ = false, wants_on_ = false, was_on_ = false;
  const DriveState* state_ = nullptr;
  Time wanted_since_{};
  std::uint32_t once_ = 0, before_ = 0;  // faults that the next report has; that the last one had
  std::vector<std::string> words_;
};

}  // namespace gyrax
