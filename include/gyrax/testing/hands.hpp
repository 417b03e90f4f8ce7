/// Made-up hands on a made-up gamepad: a track to rehearse with, the same for the same seed.
///
/// In: what the hands do, in order. Out: an evemu track. The hands tremble, the sticks rest off centre and are noisy, as
/// real ones are; only arithmetic that rounds alike everywhere is used, so that a track is the same on every machine.
///
///     testing::Hands hands(7);
///     hands.wait(0.5).tap("menu.right").down("shoulder.left").push("stick.left.x", 1.0, 0.4, 2.0);
///     Track track = hands.track();
#pragma once

#include <gyrax/handset/track.hpp>

#include <cstdint>
#include <map>
#include <string>

namespace gyrax::testing {

class Hands {
 public:
  /// pad: two sticks, two triggers, a hat and eleven keys, that reports changes every 8 ms. wheel_box: a handwheel (dial.1)
  /// and the keys kp0 to kp9.
  enum class Model : std::uint8_t { pad, wheel_box };
  explicit Hands(std::uint32_t seed, Model model = Model::pad);

  /// Seconds from the track's start.
  double now_s() const { return static_cast<double>(now_us_) * 1e-6; }
  Hands& wait(double s);
  /// Waits until that time; does nothing if it is past.
  Hands& wait_until(double s);
  /// A key or a side of the hat, by its control's name.
  Hands& down(const std::string& control);
  Hands& up(const std::string& control);
  Hands& tap(const std::string& control, double held_s = 0.09);
  /// Moves a stick's axis or a trigger to `share` of its range within `within_s` and keeps it there for `hold_s`.
  Hands& push(const std::string& control, double share, double within_s, double hold_s = 0);
  /// Turns a dial by so many counts, evenly within that time.
  Hands& turn(const std::string& control, int counts, double within_s);
  /// The pad is unplugged: nothing is sent until plug(), and hands that go on moving are not heard.
  Hands& unplug();
  Hands& plug();

  Track track() const { return track_; }

 private:
  struct Stick {
    std::int32_t rest = 0, wander = 0, told = 0;
    double share = 0;
    bool one_sided = false;
    bool reversed = false;
  };
  void describe_pad();
  void describe_wheel_box();
  std::int32_t noise(std::int32_t size);
  void scan();
  void key(const std::string& control, int value);
  void send(std::uint16_t type, std::uint16_t code, std::int32_t value);
  void end_frame();

  Track track_;
  std::map<std::uint16_t, Stick> sticks_;
  std::int64_t now_us_ = 0;
  std::uint32_t random_;
  bool plugged_ = true, in_frame_ = false;
};

}  // namespace gyrax::testing
