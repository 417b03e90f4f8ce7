/// A rig: the described whole, read from TOML and checked.
///
/// In: one file, and those that it includes. Out: the engine's setup with the names, units and lines behind its
/// numbers. Never: a rig with a doubt in it. Whatever is wrong is told at once, all of it, as a RigError.
///
///     gyrax::Rig rig = gyrax::load_rig("bench.toml");
///     gyrax::Engine engine(rig.setup);
#pragma once

#include <gyrax/engine/setup.hpp>
#include <gyrax/files/problem.hpp>
#include <gyrax/handset/seats.hpp>
#include <gyrax/rig/dialect.hpp>
#include <gyrax/rig/registers.hpp>
#include <gyrax/wire/channel.hpp>
#include <gyrax/wire/port.hpp>

#include <map>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace gyrax {

/// The file and line that set something.
struct Origin {
  std::string file;
  int line = 0, column = 0;  ///< from 1; a column of 0: the whole line
};

struct AxisInfo {
  std::string name, unit;                             ///< unit: "mm", "deg" or "%"
  bool usual_jerk = false, usual_decel_jerk = false;  ///< the rig names none: AxisLimits::usual_jerk
  bool endless = false;                               ///< turns for ever: its travel is all that can be counted
  bool motor = false;                                 ///< runs at a share of full power: unit "%", no place
  Origin origin;
  double max_stop = 0;  ///< what a stop may take at most, in its unit; 0: the rig does not say
};

struct SlotInfo {
  std::string name;       ///< "stick.left.x"
  bool own_ends = false;  ///< the rig gives its ends; otherwise the device's description does
};

/// Handsets that are in charge together.
struct StationInfo {
  std::string name;
  HandsetBits handsets = 0;
};

/// An override or increments that bindings move.
struct NumberInfo {
  std::string name;  ///< "override", "override.carriage", "increment.x"
  Origin origin;     ///< where its notches stand
};

/// What an axis or a switch is on a board, and what that becomes when it hears nothing; in the axis's unit.
struct ChannelInfo {
  std::string name;  ///< of the axis or switch
  std::uint8_t number = 0;
  bool read = false;  ///< the rig says the number
  wire::ChannelKind kind = wire::ChannelKind::servo;
  double steps = 1, per = 1;  ///< of a stepper: so many whole steps move it by so much
  wire::Loss lost = wire::Loss::stay;
  double place = 0, place_speed = 0;  ///< where it becomes `place`
  std::string pin;                    ///< what the board calls it; empty: the rig does not say
};
/// What an axis or a switch takes of its link's supply, in amperes.
struct Load {
  std::string name;
  double moving = 0, standing = 0;  ///< of a switch: on
};

/// Something that a link reports besides its axes.
struct InputInfo {
  std::string name, unit;  ///< unit: of an analogue one; empty: a contact
  LinkId link{};
  bool inverted = false;                             ///< a contact that is open where it is on
  double counts = 1, is = 1;                         ///< of an analogue one: so many counts are so many units
  double start = 0;                                  ///< of a simulated one
  std::uint16_t channel = 0;                         ///< among its link's inputs
  std::optional<std::pair<double, double>> range{};  ///< of a gauge; none: it is shown as a number alone
  Origin origin;
  double value_of(double raw) const { return unit.empty() ? ((raw != 0) != inverted ? 1 : 0) : raw * is / counts; }
};

struct LinkInfo {
  std::string name;
  std::string kind = "simulated";
  std::map<std::string, double> numbers;     ///< its kind's keys, whether the rig gives them or not
  std::map<std::string, std::string> texts;  ///< those that are words
  Origin origin;
  std::vector<ChannelInfo> axis_channels, switch_channels;  ///< of a board: by Wiring::channel
  std::vector<ChannelInfo> input_channels{};                ///< of a board: by InputInfo::channel
  double supply_a = 0;                                      ///< what feeds all of it gives; 0: the rig does not say
  std::vector<Load> loads;                                  ///< those that the rig gives
  Span stagger{};                                           ///< its axes get power so long after each other
  std::optional<RegisterMap> registers{};                   ///< of a drive or a PLC
  std::optional<Dialect> dialect{};                         ///< of a controller that takes lines
  std::string letters{};                                    ///< the same: of its axes, by Wiring::channel
  std::size_t longest_message = 0;                          ///< of a board: characters; 0: it is told none
  std::vector<std::pair<std::string, std::string>> switch_lines{};  ///< the same: that turn a switch on and off
  /// In the key's own unit. Errors: std::out_of_range where its kind has no such key.
  double number(const char* key) const { return numbers.at(key); }
  const std::string& text(const char* key) const { return texts.at(key); }
};
/// Where the wire of a link leads; nowhere where it has none.
wire::Place wire_place(const LinkInfo& link);
/// A link with what is usual for a kind wherever it says nothing.
LinkInfo with_usual(LinkInfo link, const std::string& kind);

/// A command of the machine.
struct ActionInfo {
  std::string name, group;                     ///< group: "" where the rig names none
  std::vector<std::string> lines;              ///< for a controller: words, or one control character that goes at once
  std::string message;                         ///< for a board: words
  std::vector<RegisterWrite> writes, cancels;  ///< for a drive or a PLC; cancels: where it ends otherwise than done
  Origin origin;
  /// Whether a link is told anything.
  bool tells() const noexcept { return !lines.empty() || !message.empty() || !writes.empty(); }
};

struct BindingInfo {
  Origin origin;
  std::string sentence;  ///< "stick.left.x jogs x"
};

/// One of the files that a rig was read from.
struct RigSource {
  std::string path, text;
};

struct Rig {
  std::string path, title;
  std::vector<RigSource> sources;  ///< the rig's own file first, then what it includes
  Span period = std::chrono::milliseconds(2);
  std::optional<Span> min_tick;  ///< live: a reading brings the next tick forward, to this after the last one
  Setup setup;
  std::vector<std::string> handsets, zones, switches;  // by their identities
  std::vector<StationInfo> stations;
  std::vector<std::string> layers;             ///< by LayerId: "rotary", or "shoulder.left held"
  std::vector<NumberInfo> numbers;             ///< by NumberId: what `choose` and `adjust` name
  std::vector<std::optional<double>> left_at;  ///< by AxisId, where the last run left some; or empty
  bool remembers_overrides = false, remembers_increments = false;  ///< at the next start, as they were left
  std::size_t keep_logbooks = 100;                                 ///< in the usual folder, so many …
  double keep_logbooks_mb = 4000;                                  ///< … and so much of them
  std::vector<AxisInfo> axes;
  std::vector<SlotInfo> slots;
  std::vector<SeatWish> seats;  ///< by HandsetId: which device it may be, and what it has to have
  std::vector<LinkInfo> links;
  std::vector<InputInfo> inputs;    ///< by InputId
  std::vector<ActionInfo> actions;  ///< by ActionId
  std::vector<BindingInfo> bindings;
  std::vector<std::string> remarks;       ///< what the checker cannot promise, in sentences
  std::map<std::string, Origin> origins;  ///< by full key, "axis.x.speed"; what is not there has its default
};

/// Greatest rig, bytes of all its files together (those that it includes, calibrations); how many it may include.
/// Reading takes at most 160 bytes of memory for each of them, and 4 MiB.
inline constexpr std::size_t max_rig = 1u << 20, max_includes = 32;
/// The version of the rig's format that this library writes and the newest that it reads.
inline constexpr int rig_version = 1;

/// Reads a rig file. Errors: RigError with everything that is wrong with it.
Rig load_rig(const std::string& path);
/// The same from a text; `file` is its name in messages, and includes are looked for beside it.
Rig parse_rig(std::string_view text, const std::string& file);
/// The same from texts alone, as a rig's own `sources` hold them; at least one.
Rig parse_rig(const std::vector<RigSource>& sources);

/// The rig with its controls' ends taken from the devices' own descriptions, by handset name, wherever the rig does
/// not give them itself. Errors: RigError (device) where a bound control is not on its device; of a device without a
/// name, which is one that a program describes by its ends alone, only sticks and triggers have to be there.
Rig fit(Rig rig, const std::map<std::string, Device>& devices);

}  // namespace gyrax
