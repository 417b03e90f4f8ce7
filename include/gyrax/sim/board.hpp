/// A simulated board: the very code of firmware/ with simulated pins, a wire that takes its time for each byte, and
/// what hangs on it.
///
/// In: bytes, as they are put on the wire; time. Out: bytes, as they come off it; where everything really is. Never: a
/// look into the core; it knows the bytes and no more.
///
///     sim::Board board(setup);
///     board.put(bytes, now_us);
///     board.advance(now_us);
///     while (board.get(byte, now_us)) …
#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace gyrax::sim {

/// Kinds and losses as docs/board.md numbers them.
struct BoardChannel {
  std::string name;
  std::uint8_t kind = 1;
  double low = 0, high = 0;     ///< in its unit: µs, share of power, steps, 0 … 1
  double speed = 0, accel = 0;  ///< a second, and a second each second; 0: not limited
  std::uint8_t becomes = 0;     ///< until it is told otherwise
  double place = 0;
  // What hangs on it.
  double servo_speed = 4000;    ///< µs of pulse a second that the servo makes
  double dead_band = 1;         ///< µs
  double most_steps = 200'000;  ///< a second; what is faster loses steps
};

struct BoardSetup {
  std::string name = "stand-in";
  std::uint8_t address = 1;
  double bytes_per_s = 0;  ///< of the wire, each way; 0: at once
  std::vector<BoardChannel> channels;
  std::uint32_t run_every_us = 100;  ///< its loop
  std::uint64_t seed = 1;            ///< of its own numbers and of the noise; another one at each start of a real one
};

/// What can go wrong with it; all but `none` last until something else is said.
enum class BoardFault : std::uint8_t {
  none,
  cut,    ///< no byte goes through, either way
  noisy,  ///< one byte in a hundred comes with a bit flipped
  slow,   ///< its loop runs every 20 ms
  hung,   ///< its loop does not run; pulses and steps under way go on as its timers have them
  stuck,  ///< what hangs on it does not move, whatever its pins say
  sags    ///< its supply gives too little: servos make a third of their speed, steppers a third of their steps a second
};

class Board {
 public:
  explicit Board(const BoardSetup& setup);
  ~Board();
  Board(Board&&) noexcept;
  Board& operator=(Board&&) = delete;

  /// Bytes go onto the wire at `now_us`, behind what is on it already.
  void put(std::span<const std::uint8_t> bytes, std::uint64_t now_us);
  /// Everything moves on to `now_us`; not before the last time.
  void advance(std::uint64_t now_us);
  /// The next byte that has come off the wire by then.
  bool get(std::uint8_t& byte, std::uint64_t now_us);

  void break_with(BoardFault fault);
  /// Power goes and comes back: outputs are off, its clock begins anew.
  void restart();
  void print(const char* text);
  /// What an input is: 1 or 0 of a digital one, what an analogue one counts, an encoder's counts so far. Not valid: its
  /// part does not answer.
  void set_input(std::size_t channel, double value, bool valid = true);

  /// From now on what it is told by a message takes so long, and is done; or fails then, where `why` says so.
  void act_for(double seconds, std::string why = {});
  /// What it did of messages since the last time this was asked: "\"grip\" begins", "\"grip\" is done".
  std::vector<std::string> acted();

  std::size_t channels() const;
  /// Where it really is: a servo's horn in µs of pulse, a stepper's shaft in steps, a motor's share, a switch 0 or 1.
  double position(std::size_t channel) const;
  /// What its output is told: a pulse in µs (0: none), a position in steps, a share, 0 or 1.
  double output(std::size_t channel) const;
  /// Whether its output drives.
  bool driven(std::size_t channel) const;
  std::uint64_t lost_steps(std::size_t channel) const;
  /// Frames that did not hold, and bytes of RAM of the code with its channels.
  std::uint64_t bad_frames() const;
  std::size_t ram_bytes() const;
  std::uint32_t clock_us() const;
  /// Of the session that it is in; 0: it was not greeted since it has power.
  std::uint32_t session() const;
  /// Of a channel, as its reports have it.
  std::uint8_t status(std::size_t channel) const;

 private:
  struct Inside;
  std::unique_ptr<Inside> in_;
};

}  // namespace gyrax::sim
