/// Which device is which handset of the rig, while devices come and go.
///
/// In: what the rig wishes for each handset, and a device that was plugged in. Out: the handset whose place it takes,
/// or why none. A device comes back to its own place: known by its unique id, otherwise by its port. Never: a device
/// that lacks a control which the rig binds; one that types, unless the rig names it.
///
///     Seats seats(rig.seats);
///     const Seats::Placed placed = seats.place(device);      // placed.seat, or placed.why
///     seats.vacate(*placed.seat);
#pragma once

#include <gyrax/handset/calibration_file.hpp>
#include <gyrax/handset/controls.hpp>
#include <gyrax/handset/wired.hpp>

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace gyrax {

/// A control that the rig uses, as it would be with the rig's own ends or the usual ones.
struct SeatControl {
  SlotId slot = no<SlotId>;
  ControlId control{};
  Calibration calibration = Calibration::key();
  bool own_ends = false;  ///< the rig gives the ends; otherwise the device does
};

/// One handset of the rig and what it may be. An empty text admits any.
struct SeatWish {
  std::string handset;                 ///< its name in the rig
  std::string id, name, unique, port;  ///< "1209:0001"; the rest as the kernel tells it
  std::vector<SeatControl> controls;
  /// What its calibration says of its codes.
  std::map<std::pair<std::uint16_t, std::uint16_t>, std::string> named;
  /// The device that it was calibrated with, if it was; unless `any_device`, no other may sit here.
  struct Calibrated {
    std::string file, id, name, unique;
    bool any_device = false;
    ReportHabit habit = ReportHabit::unknown;
    double max_silence_s = 0;  ///< while something was held off its rest; 0: not seen
  };
  std::optional<Calibrated> calibrated;
  std::optional<WiredPlace> wire;  ///< it hangs there; `port` says so as well
  bool signs = true;               ///< lights and rumble may tell that motion is held or has tripped
  bool names_a_device() const { return !(id.empty() && name.empty() && unique.empty() && port.empty()); }
};

/// How a device differs from the one that a calibration was made with, as a sentence; empty if it does not.
std::string differs(const SeatWish::Calibrated& calibrated, const Device& device);

/// A control's kind, direction and usual ends, until a device says better.
Calibration usual_calibration(const ControlName& control);

class Seats {
 public:
  /// One seat for each wish; HandsetId is its row.
  explicit Seats(std::vector<SeatWish> wishes) : seats_(wishes.begin(), wishes.end()) {}
  /// Without a rig: every handset gets a seat of its own, named after its kind; those on these wires as well.
  static Seats open(std::vector<WiredPlace> wires = {});
  /// Where handsets hang on wires.
  std::vector<WiredPlace> wires() const;

  struct Placed {
    std::optional<std::size_t> seat;
    bool another = false;   ///< another device than the one that sat there before
    std::string why{};      ///< without a seat: why, as a sentence
    std::string warning{};  ///< with a seat: what to be told all the same
  };
  Placed place(const Device& device);
  void vacate(std::size_t seat) { seats_[seat].taken = false; }
  const SeatWish& wish(std::size_t seat) const { return seats_[seat].wish; }
  std::size_t size() const { return seats_.size(); }

 private:
  struct Seat {
    Seat(SeatWish wished) : wish(std::move(wished)) {}
    SeatWish wish;
    bool taken = false;
    std::optional<Device> last;
  };
  int score(const Seat& seat, const Device& device, std::string& why) const;
  Placed add_seat(const Device& device);

  std::vector<Seat> seats_;
  std::vector<WiredPlace> wires_;  // of no seat
  bool open_ = false;
};

}  // namespace gyrax
