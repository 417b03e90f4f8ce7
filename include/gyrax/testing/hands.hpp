/// Made-up hands on made-up handsets: a track to rehearse with, the same for the same seed.
///
/// In: what the hands do, in order. Out: an evemu track. The hands tremble, the sticks rest off centre and are noisy,
/// parts are worn, as real ones are; only arithmetic that rounds alike everywhere is used, so that a track is the same
/// on every machine.
///
///     testing::Hands hands(7);
///     hands.wait(0.5).tap("menu.right").down("shoulder.left").push("stick.left.x", 1.0, 0.4, 2.0);
///     Track track = hands.track();
#pragma once

#include <gyrax/handset/track.hpp>
#include <gyrax/testing/models.hpp>

#include <cstdint>
#include <map>
#include <string>

namespace gyrax::testing {

class Hands {
 public:
  explicit Hands(std::uint32_t seed, const HandsetModel& model = models::pad());

  /// Seconds from the track's start.
  double now_s() const { return static_cast<double>(now_us_) * 1e-6; }
  Hands& wait(double s);
  /// Waits until that time; does nothing if it is past.
  Hands& wait_until(double s);
  /// A key or a side of the hat, by its control's name or by the kernel's name of its code.
  Hands& down(const std::string& control);
  Hands& up(const std::string& control);
  Hands& tap(const std::string& control, double held_s = 0.09);
  /// Moves a stick's axis or a trigger to `share` of its range within `within_s` and keeps it there for `hold_s`.
  Hands& push(const std::string& control, double share, double within_s, double hold_s = 0);
  /// Turns a dial by so many detents (counts, where it has none), evenly within that time.
  Hands& turn(const std::string& control, int detents, double within_s);
  /// Leans a handset with tilt sensors: to the right and away from oneself, in degrees, within that time.
  Hands& lean(double right_deg, double away_deg, double within_s, double hold_s = 0);
  /// What somebody does who measures a handset: leaves it alone; moves everything to its ends and lets it come back
  /// from each, to the right, away and up first; presses everything.
  Hands& show_everything();
  /// So many events are lost here, and the kernel says so; then how everything stands, with all keys up.
  Hands& lose(int events);
  /// The handset is unplugged: nothing is sent until plug(), and hands that go on moving are not heard.
  Hands& unplug();
  Hands& plug();

  Track track() const { return track_; }

 private:
  struct Part {
    ModelAxis is;
    std::int32_t rest = 0, wander = 0, told = 0;
    double share = 0;
  };
  std::pair<std::uint16_t, std::uint16_t> code_of(const std::string& control) const;
  std::int32_t noise(std::int32_t size);
  std::int32_t value_of(Part& part);
  void scan();
  void send_tilt();
  void key(const std::string& control, int value);
  void send(std::uint16_t type, std::uint16_t code, std::int32_t value);
  void end_frame();

  HandsetModel model_;
  Track track_;
  std::map<std::uint16_t, Part> parts_;
  std::int64_t now_us_ = 0;
  std::uint32_t random_;
  double right_deg_ = 0, away_deg_ = 0;
  bool plugged_ = true, in_frame_ = false;
};

}  // namespace gyrax::testing
