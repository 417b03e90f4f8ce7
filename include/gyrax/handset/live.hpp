/// The handsets that are plugged in, live. The thread that takes the readings reads the devices itself; a thread of
/// their own finds, opens, seats and closes them, which may take long.
///
/// In: what the rig wishes for each handset. Out: readings in order; what to look at through a snapshot. Never: a wait
/// in pop(); more of one device in one turn than a bound, so that a flood from one delays no other. What the kernel
/// drops because nobody reads is a gap, and is told as one; then the whole state is told again.
///
///     LiveHandsets handsets(Seats(rig.seats), clock);
///     … wait until handsets.wake_descriptor() is readable …
///     for (HandsetItem item; handsets.pop(item);) …
#pragma once

#include <gyrax/base/reading.hpp>
#include <gyrax/handset/seats.hpp>
#include <gyrax/handset/session.hpp>
#include <gyrax/threads/boot_clock.hpp>

#include <memory>
#include <string>
#include <utility>
#include <vector>

namespace gyrax {

/// What a handset hands over, in order.
struct HandsetItem {
  enum class Kind : std::uint8_t {
    reading,    ///< `reading`
    seated,     ///< another device takes the place of `reading.handset`; `number` finds it by device()
    calibrate,  ///< of that device: `slot` has these ends; the handset is absent now
  } kind = Kind::reading;
  Reading reading{};
  SlotId slot = no<SlotId>;
  Calibration calibration = Calibration::key();
  std::size_t number = 0;
};

/// A short sign to the hands.
enum class Sign : std::uint8_t { blocked, tripped, prepared };

struct SeenControl {
  ControlId control{};
  Calibration calibration = Calibration::key();
  bool known = false;
  std::int32_t raw = 0;  ///< of a dial: counts since it was plugged in
};

/// One seat as the viewer sees it.
struct SeenHandset {
  std::string name, node;
  Device device;
  bool present = false, grabbed = false;
  std::string warning;  ///< it is used, and should not quite be: a calibration of another device
  std::vector<SeenControl> controls;
  std::uint64_t reports = 0;  ///< frames of events so far
  std::uint64_t readings = 0;
  std::uint64_t drops = 0;  ///< how often the kernel dropped events because they were not read in time
};

struct SeenHandsets {
  Time at{};
  std::vector<SeenHandset> seats;
  std::vector<std::string> notes;  ///< devices that have no place, and why
  bool recording = false;
};

class LiveHandsets {
 public:
  /// Starts to listen; devices are opened with the first pop(). Errors: std::runtime_error where libudev cannot be
  /// used.
  LiveHandsets(Seats seats, const BootClock& clock);
  /// Gives every device back.
  ~LiveHandsets();
  LiveHandsets(const LiveHandsets&) = delete;
  LiveHandsets& operator=(const LiveHandsets&) = delete;

  // For the one thread that takes the readings: an engine's, or a ReadingThread. None of these waits.
  /// The next item; false once all of one turn have been taken.
  bool pop(HandsetItem& item) noexcept;
  void sign(HandsetId handset, Sign sign) noexcept;
  /// Whether devices that also type are to be taken from everybody else. Done once none of their keys is down.
  void grab_keypads(bool mine) noexcept;
  /// Readable whenever there is something new.
  int wake_descriptor() const noexcept;

  // For one viewer.
  const SeenHandsets& look();
  void start_recording();
  /// What the devices sent since, with times from then on.
  std::pair<std::vector<SessionHandset>, Span> stop_recording();

  /// The device of a `seated` item, from any thread.
  Device device(std::size_t number) const;

 private:
  struct Parts;
  std::unique_ptr<Parts> parts_;
};

}  // namespace gyrax
