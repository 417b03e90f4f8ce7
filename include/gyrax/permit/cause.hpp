/// Why a zone stops, and how: the causes, with the stop category that each has unless the rig says otherwise.
///
///     about(Cause::link_silent).sentence
#pragma once

#include <gyrax/base/category.hpp>

#include <array>
#include <cstddef>
#include <cstdint>

namespace gyrax {

enum class Cause : std::uint8_t {
  none,
  // what a person asked for
  enable_released,
  enable_squeezed,
  let_go,  ///< in a zone that is hold to run: what moves it
  stop_key,
  stow,
  setting_changed,  ///< where the rig stows after a change of override, layer or calibration
  program_ends,
  // what looks as if nobody were there any more
  handset_steady,
  // faults
  handset_gone,
  handset_silent,
  handset_gap,
  reading_clock,
  reading_implausible,
  link_silent,
  far_end_fault,
  report_invalid,
  following_error,
  moves_at_rest,
  wrong_way,
  overspeed,
  position_frozen,
  input_off,
  input_unknown,
  input_beyond,
  tick_late,
  frames_expired,
  clock_backwards,
  envelope_refused,
};
inline constexpr std::size_t cause_count = static_cast<std::size_t>(Cause::envelope_refused) + 1;
static_assert(cause_count <= 32, "sets of causes are 32 bits wide");

struct AboutCause {
  const char* name;      ///< as the rig's `stops` table and every output spell it
  Category category;     ///< unless the rig says otherwise
  bool fault;            ///< trips the zone; otherwise a person asked for it
  const char* sentence;  ///< what happened, for a person
};

/// The row of a cause.
const AboutCause& about(Cause cause) noexcept;

/// The category of each cause, as a rig with no word on them has it.
std::array<Category, cause_count> default_categories() noexcept;

}  // namespace gyrax
