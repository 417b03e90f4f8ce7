/// A simulated controller as its wire sees it: lines of a rig's dialect in, answers out; without the wire itself.
///
/// In: bytes, the time, what breaks. Out: bytes, what it sees in words. Never: another dialect than the rig's; a line
/// before there is room for its move.
///
/// It reads words of ISO 6983-1: G0 and G1 with places and F, G20, G21, G90, G91, G94, G28 (slowly to its low ends;
/// then it is homed), M and S words; all else is refused. What it says at a place {homed} is off after an alarm. What
/// is one control character counts at once.
#pragma once

#include <gyrax/rig/rig.hpp>
#include <gyrax/sim/controller.hpp>

#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace gyrax {

class ControllerFarEnd {
 public:
  /// Errors: std::invalid_argument where the link has no dialect.
  ControllerFarEnd(const Rig& rig, LinkId link);
  void hear(std::span<const std::uint8_t> bytes);
  /// Works on what it heard, and moves on.
  void advance(std::uint64_t now_us);
  /// What it has to say since the last time this was asked.
  std::string answers();

  // What breaks.
  /// So many of the next lines get lost in it, without an answer.
  void lose_lines(int count) noexcept { to_lose_ = count; }
  /// So many of the next answers come twice.
  void answer_twice(int count) noexcept { to_double_ = count; }
  void refuse_next() noexcept { refuses_ = true; }
  /// It hears and moves, and says nothing.
  void be_silent(bool silent) noexcept { is_silent_ = silent; }
  /// It says something that nobody understands.
  void babble() { say_line("%%~ 0x" + std::string(3, '#')); }
  void raise_alarm(const std::string& words);
  /// Somebody looked at it: the alarm is over.
  void clear() noexcept { machine_.clear(); }
  /// It says that it begins.
  void greet();
  /// Its supply was away.
  void restart();

  std::vector<std::string> seen();
  sim::Controller& machine() noexcept { return machine_; }
  const sim::Controller& machine() const noexcept { return machine_; }
  void set_input(std::size_t row, double value) noexcept { inputs_[row].second = value; }
  const std::vector<AxisInfo>& axes() const noexcept { return axes_; }
  bool switched_on(std::size_t row) const noexcept { return switched_[row]; }
  /// How often it was told to stop at once.
  std::uint64_t stops() const noexcept { return stops_; }

 private:
  struct Word {
    char letter = 'G';
    double number = 0;
  };
  void take_at_once(char c);
  void stop_at_once();
  void pause();
  void resume();
  void look_at_probe();
  void set_homed(bool homed);
  bool go_home();
  bool carry_out(const std::string& line);
  bool do_words(const std::vector<Word>& words, const std::string& number);
  void do_modal(int code);
  void say_status();
  void say_modes();
  void acknowledge(const std::string& number);
  void refuse(const std::string& number, int code, const std::string& words);
  void say_line(const std::string& line);
  double in_unit(double place, std::size_t axis) const;

  const LinkInfo& link_;
  const Dialect& dialect_;
  std::vector<AxisInfo> axes_;
  std::vector<std::pair<std::string, double>> inputs_;  // by InputInfo::channel: their names and raw values
  std::vector<bool> switched_;
  sim::Controller machine_;
  std::string came_, out_;
  std::vector<std::string> seen_;
  bool inch_ = true, relative_ = true;  // as it comes
  double feed_ = 0;                     // mm or deg a second
  std::uint32_t next_number_ = 1;       // of a line
  int to_lose_ = 0, to_double_ = 0;
  bool homes_ = false, probes_ = false, refuses_ = false, is_silent_ = false;
  std::uint64_t stops_ = 0;
};

}  // namespace gyrax
