// What hangs on a board: which channel an axis or a switch is, and what that becomes on loss. Private to the rig room.
#pragma once

#include "../files/toml_reader.hpp"

#include <gyrax/rig/rig.hpp>

#include <string>
#include <vector>

namespace gyrax {

/// `channel`, `steps`, `lost` of an axis. A link of another kind takes none of them.
void read_channel(Table& table, LinkInfo& link, const AxisSetup& axis, const std::string& name);
/// `channel` of a switch; what it becomes on loss stands in its `becomes`.
void read_channel(Table& table, LinkInfo& link, const SwitchSetup& one, const std::string& name);
/// `channel` of an input: a digital or an analogue one.
void read_channel(Table& table, LinkInfo& link, const InputInfo& input);
inline constexpr double most_amps = 1000;
/// `amps = { moving = 1.2, standing = 0.3 }` of an axis, `amps = 0.5` of a switch.
void read_load(Table& table, LinkInfo& link, const std::string& name);
void read_load_of_switch(Table& table, LinkInfo& link, const std::string& name);
/// In amperes, when everything on a link moves and is on at once; of those that the rig gives.
double most_taken(const LinkInfo& link);
/// "6.2 of 10 A when everything moves, 1.4 A while it stands"; empty where the rig says nothing of that.
std::string supply_words(const LinkInfo& link);
/// "servo on channel 2 of head; stays where it is when it hears nothing".
std::string channel_words(const LinkInfo& link, const ChannelInfo& channel);
const char* loss_words(wire::Loss loss) noexcept;

/// What a board's wire carries, and how long that takes. Where the wire is no limit, bytes take no time.
struct BoardTimes {
  std::size_t channels = 0, set_bytes = 0, report_bytes = 0;  ///< of all channels
  double bytes_per_s = 0;                                     ///< 0: no limit
  double frame_s = 0, set_s = 0, round_trip_s = 0;
  /// Of the wire, in the direction that carries more; where boards take turns, of all their slots. [0, 1] where it
  /// fits.
  double share = 0;
  std::size_t boards = 1;  ///< that take turns on it
};
/// `links`: all of the rig's.
BoardTimes board_times(const std::vector<LinkInfo>& links, const LinkInfo& link);
/// "8 channels: 101 bytes there and 108 back, 94 % of the wire".
std::string load_words(const std::vector<LinkInfo>& links, const LinkInfo& link);
bool is_half_duplex(const LinkInfo& link);
/// Whether two links name one wire.
bool share_wire(const LinkInfo& one, const LinkInfo& other);

}  // namespace gyrax
