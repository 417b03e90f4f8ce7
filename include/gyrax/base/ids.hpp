/// Identities: small numbers that index the tables of a checked rig. Names live in the rig, outside the core.
///
///     std::size_t row = gyrax::index(gyrax::AxisId{2});
#pragma once

#include <cstddef>
#include <cstdint>
#include <limits>
#include <type_traits>

namespace gyrax {

enum class HandsetId : std::uint16_t {};
enum class LinkId : std::uint16_t {};
enum class AxisId : std::uint16_t {};
/// An axis, or a direction of a tool, that a request can name. For a group without coupling: its axis's number.
enum class CoordinateId : std::uint16_t {};
enum class ZoneId : std::uint16_t {};
enum class SwitchId : std::uint16_t {};
/// A row of the rig's bindings.
enum class BindingId : std::uint16_t {};
/// A row of the rig's layers. A later one goes before an earlier one.
enum class LayerId : std::uint16_t {};
/// A list of overrides, and what bindings move: one such list, or the increments of some coordinates.
enum class OverrideId : std::uint16_t {};
enum class NumberId : std::uint16_t {};
/// What a link reports besides its axes, by name; what it can be told to do.
enum class InputId : std::uint16_t {};
enum class ActionId : std::uint16_t {};
/// A row of the rig's controls: one control of one handset that some binding uses.
enum class SlotId : std::uint16_t {};

/// A control's place on any handset: an index into the table of control names (gyrax/handset/controls.hpp).
/// Values from `presence` on are not controls but what a handset says of itself.
enum class ControlId : std::uint16_t {
  presence = 0xfff0,  ///< raw 1: plugged in; raw 0: gone
  gap = 0xfff1,       ///< raw: how many readings are known to be lost, at least 1
};

/// One of the identities above: no plain number, and none is made of one by chance.
template <class Id>
concept Identity = std::is_enum_v<Id> && std::is_same_v<std::underlying_type_t<Id>, std::uint16_t>;

/// The identity that stands for "none of them".
template <Identity Id>
inline constexpr Id no = Id{std::numeric_limits<std::uint16_t>::max()};

/// The row that an identity stands for.
template <Identity Id>
constexpr std::size_t index(Id id) noexcept {
  return static_cast<std::size_t>(id);
}

/// The identity of a row, which is less than the most that a rig may have of its kind.
template <Identity Id>
constexpr Id id_at(std::size_t row) noexcept {
  return Id{static_cast<std::uint16_t>(row)};
}

/// How many of each a rig may have. Bounds every loop of a tick.
inline constexpr std::size_t max_axes = 64, max_handsets = 16, max_links = 16, max_zones = 8, max_switches = 64,
                             max_inputs = 64, max_slots = 512, max_bindings = 1024, max_controls = 256,
                             max_actions = 100;

/// A set of handsets: bit per HandsetId.
using HandsetBits = std::uint32_t;
static_assert(max_handsets <= 32);
constexpr bool has(HandsetBits bits, HandsetId handset) noexcept { return (bits >> index(handset) & 1u) != 0; }
constexpr HandsetBits bit(HandsetId handset) noexcept { return HandsetBits{1} << index(handset); }

/// A set of zones: bit per ZoneId.
using ZoneBits = std::uint32_t;
static_assert(max_zones <= 32);
inline constexpr ZoneBits all_zones = ~ZoneBits{0};
constexpr bool has(ZoneBits bits, ZoneId zone) noexcept { return (bits >> index(zone) & 1u) != 0; }
constexpr ZoneBits bit(ZoneId zone) noexcept { return ZoneBits{1} << index(zone); }

}  // namespace gyrax
