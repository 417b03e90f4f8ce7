/// What stands where in the registers of a drive or a PLC that speaks Modbus, and what is written to switch it on.
///
/// In: the rig's `[link.NAME.modbus]`. Out: a map of 16-bit registers and a table of states. Never: a transaction.
///
/// Source: MODBUS Application Protocol Specification V1.1b3, sections 4.3 and 6; a table of states can describe the
/// state machine of IEC 61800-7-201.
#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace gyrax {

/// A number in one register, or in two of them.
struct RegisterWord {
  enum class Type : std::uint8_t { u16, i16, u32, i32, f32, bit };
  std::uint16_t at = 0;  ///< the address that goes over the wire, from 0
  Type type = Type::u16;
  std::uint8_t bit = 0;       ///< of a bit, 0 the least
  bool single = false;        ///< the bit is a coil or a discrete input by itself, at that address
  double counts = 1, is = 1;  ///< so many counts are so many units
  std::size_t size() const noexcept { return type >= Type::u32 && type <= Type::f32 ? 2 : 1; }
  /// The least and the greatest number of counts that it can hold.
  double low() const noexcept;
  double high() const noexcept;
};
const char* name_of(RegisterWord::Type type) noexcept;

/// One thing that is told or heard.
struct RegisterEntry {
  /// word: the control word where it is told, the status where it is heard. power: of a motor.
  enum class What : std::uint8_t { heartbeat, word, position, speed, power, on, input };
  What what = What::heartbeat;
  std::uint16_t row = 0;  ///< an axis's or a switch's Wiring::channel, an input's InputInfo::channel
  std::string name;       ///< "turntable.position"
  RegisterWord word;
};

/// One register, or one coil, that is written by itself (function codes 6 and 5).
struct RegisterWrite {
  bool coil = false;
  std::uint16_t at = 0;
  std::uint16_t value = 0;  ///< of a coil 0 or 1
  bool operator==(const RegisterWrite&) const = default;
};
/// "register 300 = 7", "coil 5 on".
std::string words_of(const RegisterWrite& write);

/// What a status word says, and what is written then.
struct DriveState {
  enum class Is : std::uint8_t { off, on, fault };
  std::string name;
  std::uint16_t mask = 0, value = 0;  ///< the status, masked, is this
  Is is = Is::off;                    ///< off: or on its way
  std::uint16_t to_on = 0, to_off = 0;
};

struct RegisterMap {
  std::vector<RegisterEntry> tells, hears;      ///< by address
  std::vector<RegisterEntry> coils, discretes;  ///< told, heard, each a bit by itself; by address
  std::vector<DriveState> states;               ///< no status fits two of them
  bool low_word_first = false;                  ///< of what takes two registers
  bool input_registers = false;                 ///< heard from those that can be read only; otherwise holding registers

  const RegisterEntry* heard(RegisterEntry::What what) const noexcept;
  const RegisterEntry* told(RegisterEntry::What what) const noexcept;
  /// Nothing where no state fits.
  const DriveState* state_of(std::uint16_t status) const noexcept;
  /// Whether anything is told at all.
  bool tells_any() const noexcept { return !tells.empty() || !coils.empty(); }
  /// Registers, or bits, from the first to the last of a list.
  static std::size_t span_of(const std::vector<RegisterEntry>& entries) noexcept;
};

/// Greatest spans of one request (sections 6.12, 6.3, 6.11 and 6.2).
inline constexpr std::size_t most_told_registers = 123, most_heard_registers = 125, most_told_coils = 1968,
                             most_heard_discretes = 2000;

}  // namespace gyrax
