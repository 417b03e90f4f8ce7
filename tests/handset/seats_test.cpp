// Which device takes which place, over and over.
#include <gyrax/handset/seats.hpp>
#include <gyrax/testing/hands.hpp>

#include <doctest/doctest.h>
#include <linux/input.h>

using namespace gyrax;

namespace {

Device pad(const std::string& unique, const std::string& port) {
  Device made = testing::Hands(1).track().device;
  made.unique = unique;
  made.port = port;
  return made;
}

SeatWish bare_wish(std::string handset, std::string id, std::string unique) {
  SeatWish made;
  made.handset = std::move(handset);
  made.id = std::move(id);
  made.unique = std::move(unique);
  return made;
}

SeatWish wish(const std::string& name, const std::string& id = {}, const std::string& unique = {}) {
  SeatWish made = bare_wish(name, id, unique);
  const ControlName& x = *find_control("stick.left.x");
  made.controls.push_back({SlotId{0}, x.id, usual_calibration(x), false});
  return made;
}

/// The name of the place that a device got; otherwise why none.
std::string placed(Seats& seats, const Device& device) {
  const Seats::Placed got = seats.place(device);
  return got.seat ? seats.wish(*got.seat).handset : got.why;
}

}  // namespace

TEST_CASE("Two pads of a kind: each comes back to its own place, by its unique id, otherwise by its port") {
  for (const bool unique : {true, false}) {
    CAPTURE(unique);
    const Device a = pad(unique ? "A" : "", "usb-1"), b = pad(unique ? "B" : "", "usb-2"),
                 c = pad(unique ? "C" : "", "usb-3");
    Seats seats({wish("left"), wish("right")});
    CHECK(placed(seats, a) == "left");
    CHECK(placed(seats, b) == "right");
    CHECK(placed(seats, c) == "the place of handset 'right' is taken");
    seats.vacate(0);
    seats.vacate(1);
    CHECK(placed(seats, b) == "right");
    CHECK(placed(seats, a) == "left");
    // A third one may stand in where one place is free; where two are, it would be a guess.
    seats.vacate(0);
    const Seats::Placed another = seats.place(c);
    CHECK(another.seat == 0);
    CHECK(another.another);
    CHECK(placed(seats, a) == "the place of handset 'right' is taken");
    seats.vacate(0);
    seats.vacate(1);
    CHECK(placed(seats, pad(unique ? "D" : "", "usb-4")).starts_with("several handsets of its kind are missing"));
    CHECK(placed(seats, b) == "right");
  }
}

TEST_CASE("A single pad comes back through any port") {
  Seats seats({wish("pad")});
  CHECK(placed(seats, pad("", "usb-1")) == "pad");
  seats.vacate(0);
  CHECK(placed(seats, pad("", "usb-7")) == "pad");
}

TEST_CASE("What the rig says of a device holds, and what it lacks is named") {
  Seats seats({wish("pad", "1209:0001", "B")});
  CHECK(placed(seats, pad("A", "usb-1")) == "no handset of the rig is described like it");
  CHECK(placed(seats, pad("B", "usb-1")) == "pad");

  Device bare = pad("", "usb-1");
  bare.absolute.erase(ABS_X);
  Seats other({wish("pad")});
  CHECK(placed(other, bare) == "it has no stick.left.x, which handset 'pad' needs");

  Device keypad;
  keypad.vendor = 0x1209;
  keypad.product = 2;
  keypad.keys = {KEY_KP1, KEY_KP6};
  Seats unnamed({bare_wish("keys", {}, {})});
  CHECK(placed(unnamed, keypad) == "a keypad is taken only where the rig names it: device = { id = \"1209:0002\" }");
  Seats asked({bare_wish("keys", "1209:0002", {})});
  CHECK(placed(asked, keypad) == "keys");
}

TEST_CASE("Kinds of devices by what they can send") {
  const auto kind = [](std::set<std::uint16_t> keys, std::set<std::uint16_t> relative, std::set<std::uint16_t> absolute,
                       std::set<std::uint16_t> properties = {}) {
    Device d;
    d.keys = std::move(keys);
    d.relative = std::move(relative);
    for (const std::uint16_t code : absolute) d.absolute[code] = {};
    d.properties = std::move(properties);
    return kind_of(d);
  };
  CHECK(kind({BTN_SOUTH}, {}, {ABS_X, ABS_Y}) == DeviceKind::gamepad);
  CHECK(kind({BTN_TRIGGER, BTN_THUMB}, {}, {ABS_X, ABS_Y, ABS_THROTTLE}) == DeviceKind::joystick);
  CHECK(kind({}, {}, {ABS_X, ABS_Y, ABS_Z}) == DeviceKind::joystick);  // potentiometers behind a converter
  CHECK(kind({KEY_KP1, KEY_KP2}, {}, {}) == DeviceKind::keypad);
  CHECK(kind({}, {REL_DIAL}, {}) == DeviceKind::dial);
  CHECK(kind({}, {}, {ABS_X, ABS_Y, ABS_Z}, {INPUT_PROP_ACCELEROMETER}) == DeviceKind::tilt);
  CHECK(kind({BTN_TOUCH}, {}, {ABS_X, ABS_Y}, {INPUT_PROP_POINTER}) == DeviceKind::pointer);
  CHECK(kind({BTN_LEFT}, {REL_X, REL_Y, REL_WHEEL}, {}) == DeviceKind::pointer);
  CHECK(kind({KEY_POWER}, {}, {}) == DeviceKind::other);
}
