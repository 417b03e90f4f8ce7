/// How a controller that takes lines of text is spoken to: what differs between controllers is text in the rig.
///
/// In: the rig's `[dialect.NAME]`. Out: patterns for each kind of line, both ways. Never: a byte of its own.
///
/// Source: the words of a line (G0, G1, G20, G21, G90, G91, F, N and the axes' letters) are those of ISO 6983-1; what
/// a controller answers is its own.
#pragma once

#include <gyrax/wire/line_pattern.hpp>

#include <cstdint>
#include <string>
#include <vector>

namespace gyrax {

struct Dialect {
  enum class State : std::uint8_t { idle, moving, paused, alarm, unknown };

  std::string name;
  bool inch = false;      ///< of its numbers; otherwise mm (of a rotary axis deg)
  bool relative = false;  ///< its moves are differences; otherwise places
  int decimals = 3;
  wire::LinePattern line;  ///< around each line: {words}, {number} (N of ISO 6983), {sum} (see sum_of)
  wire::LinePattern move;  ///< {axes}, {feed}
  std::vector<std::string> setup;
  std::string modes_ask;           ///< empty: it cannot be asked
  wire::LinePattern modes_answer;  ///< {modes}
  std::vector<std::string> modes;  ///< that have to be among them
  wire::LinePattern greeting, ack, error, alarm;
  std::string status_ask;
  wire::LinePattern status;                               ///< {state}, axes' letters, inputs' names; {any} is anything
  std::vector<std::string> idle, moving, paused, alarms;  ///< what its {state} says then
  std::string pause;                       ///< to rest on its way, before `stop`; empty: `stop` does both
  std::string resume;                      ///< it goes on with what it had when it was paused; empty: there is none
  std::string stop;                        ///< at once, keeping its position, with an empty queue
  std::string abort;                       ///< at once, with its position lost; empty: there is none
  int takes_lines = 8, takes_bytes = 128;  ///< that are not acknowledged yet
  int takes_moves = 16;                    ///< that it plans ahead

  /// What is one control character goes at once, without an end of line and without an acknowledgement.
  static bool is_at_once(const std::string& text) noexcept {
    return text.size() == 1 && static_cast<unsigned char>(text[0]) < 0x20;
  }
  /// As it is written in messages: a control character as "\\x18".
  static std::string shown(const std::string& text);
  State state_of(std::string_view word) const noexcept;
};

/// The check sum of a line's words: CRC-16 with the polynomial 0x1021, first 0xffff (as of ITU-T X.25 without its
/// inversion), in four hexadecimal digits.
std::string sum_of(std::string_view words);

}  // namespace gyrax
