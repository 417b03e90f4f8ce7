#include <gyrax/handset/controls.hpp>
#include <gyrax/testing/models.hpp>

#include <linux/input-event-codes.h>
#include <linux/input.h>

#include <string>

namespace gyrax::testing::models {
namespace {

HandsetModel made(const char* name, std::uint16_t product) {
  HandsetModel model;
  model.device.name = name;
  model.device.bus = BUS_USB;
  model.device.vendor = 0x1209;
  model.device.product = product;
  model.device.version = 0x0100;
  return model;
}

void add_keys(HandsetModel& model, std::initializer_list<const char*> names) {
  for (const char* name : names) model.device.keys.insert(find_control(name)->code);
}

void add_axis(HandsetModel& model, int abs_code, const ModelAxis& axis, std::int32_t flat = 0,
              std::int32_t resolution = 0) {
  const auto code = static_cast<std::uint16_t>(abs_code);
  model.axes[code] = axis;
  model.device.absolute[code] = {axis.minimum, axis.maximum, axis.fuzz, flat, resolution};
}

void add_hat(HandsetModel& model) {
  for (const std::uint16_t code : {std::uint16_t{ABS_HAT0X}, std::uint16_t{ABS_HAT0Y}})
    model.device.absolute[code] = {-1, 1, 0, 0, 0};
}

}  // namespace

HandsetModel pad() {
  HandsetModel model = made("Bench pad (made up)", 0x0001);
  add_keys(model, {"face.south", "face.east", "face.north", "face.west", "shoulder.left", "shoulder.right", "menu.left",
                   "menu.right", "menu.centre", "thumb.left", "thumb.right"});
  for (const int code : {ABS_X, ABS_Y, ABS_RX, ABS_RY})
    add_axis(model, code,
             {.minimum = -29500,
              .maximum = 29500,
              .rest_scatter = 1260,
              .noise = 22,
              .tremble = 144,
              .fuzz = 13,
              .reversed = code == ABS_Y || code == ABS_RY},
             105);
  for (const int code : {ABS_Z, ABS_RZ})
    add_axis(model, code, {.minimum = 0, .maximum = 240, .one_sided = true, .firmness = 1});
  add_hat(model);
  return model;
}

HandsetModel worn_pad() {
  HandsetModel model = pad();
  model.device.name = "Old bench pad (made up)";
  model.device.product = 0x0003;
  model.bounces = true;
  ModelAxis& x = model.axes[ABS_X];
  x.rest = 3540;  // 12 %
  x.rest_scatter = 0;
  x.slack = 810;
  x.noise = 144;
  ModelAxis& y = model.axes[ABS_Y];
  y.slack = 1350;
  y.noise = 108;
  y.jumps_every = 90;
  // It does not come quite down any more.
  ModelAxis& trigger = model.axes[ABS_RZ];
  trigger.rest = 9;
  trigger.noise = 3;
  return model;
}

HandsetModel wheel_box() {
  HandsetModel model = made("Bench wheel box (made up)", 0x0002);
  model.device.relative.insert(REL_DIAL);
  for (int i = 0; i < 10; ++i) model.device.keys.insert(find_control("key.kp" + std::to_string(i))->code);
  return model;
}

HandsetModel joystick() {
  HandsetModel model = made("Bench joystick (made up)", 0x0004);
  add_keys(model,
           {"grip.trigger", "grip.thumb", "button.0", "button.1", "button.2", "button.3", "button.4", "button.5"});
  for (const int code : {ABS_X, ABS_Y})
    add_axis(model, code,
             {.minimum = 0,
              .maximum = 230,
              .rest = 118,
              .slack = 3,
              .drift = 0.05,
              .noise = 1,
              .tremble = 3,
              .reversed = code == ABS_Y},
             13);
  add_axis(model, ABS_RUDDER,
           {.minimum = 0, .maximum = 230, .rest = 113, .slack = 5, .noise = 2, .tremble = 3, .jumps_every = 200}, 13);
  add_axis(
      model, ABS_THROTTLE,
      {.minimum = 0, .maximum = 230, .noise = 1, .tremble = 1, .one_sided = true, .reversed = true, .stays = true});
  return model;
}

HandsetModel detent_dial() {
  HandsetModel model = made("Bench dial (made up)", 0x0005);
  model.device.relative.insert(REL_DIAL);
  model.counts_a_detent = 4;
  add_keys(model, {"button.0", "button.1", "button.2", "button.3", "button.4", "button.5"});
  return model;
}

HandsetModel keypad() {
  HandsetModel model = made("Bench keypad (made up)", 0x0006);
  for (int i = 0; i < 10; ++i) model.device.keys.insert(find_control("key.kp" + std::to_string(i))->code);
  add_keys(model, {"key.kp_plus", "key.kp_minus", "key.kp_times", "key.kp_divide", "key.kp_point", "key.kp_enter",
                   "key.backspace"});
  model.bounces = true;
  return model;
}

HandsetModel hand_stick() {
  HandsetModel model = made("Bench hand stick (made up)", 0x0007);
  add_keys(model,
           {"face.south", "face.east", "shoulder.left", "trigger.left.key", "menu.left", "menu.right", "thumb.left"});
  for (const int code : {ABS_X, ABS_Y})
    add_axis(model, code,
             {.minimum = -1900,
              .maximum = 1900,
              .rest_scatter = 75,
              .noise = 6,
              .tremble = 14,
              .fuzz = 3,
              .reversed = code == ABS_Y},
             21);
  return model;
}

HandsetModel hand_stick_tilt() {
  HandsetModel model = made("Bench hand stick motion (made up)", 0x0007);
  model.device.properties.insert(INPUT_PROP_ACCELEROMETER);
  constexpr std::int32_t unit = 6100;
  for (const int code : {ABS_X, ABS_Y, ABS_Z})
    add_axis(model, code, {.minimum = -4 * unit, .maximum = 4 * unit - 1, .noise = 60, .stays = true}, 0, unit);
  model.scan_us = 10'000;
  model.steadily = model.tilts = true;
  return model;
}

HandsetModel knob_box() {
  HandsetModel model = made("Bench knob box (made up)", 0x0008);
  add_keys(model, {"button.0", "button.1", "button.2", "button.3"});
  for (const int code : {ABS_X, ABS_Y, ABS_Z, ABS_RX})
    add_axis(model, code,
             {.minimum = 0,
              .maximum = 950,
              .rest = code == ABS_Z ? 17 : 4,
              .noise = 3,
              .tremble = 2,
              .one_sided = true,
              .stays = true,
              .firmness = 1});
  model.scan_us = 20'000;
  model.steadily = true;
  return model;
}

HandsetModel digital_stick() {
  HandsetModel model = made("Bench digital stick (made up)", 0x0009);
  add_keys(model, {"grip.trigger", "grip.thumb", "button.0", "button.1", "button.2", "button.3"});
  for (const int code : {ABS_X, ABS_Y})
    add_axis(model, code, {.minimum = -1, .maximum = 1, .reversed = code == ABS_Y, .firmness = 1});
  model.bounces = true;
  return model;
}

HandsetModel six_keys() {
  HandsetModel model = made("Bench six keys (made up)", 0x000a);
  add_keys(model, {"button.0", "button.1", "button.2", "button.3", "button.4", "button.5"});
  return model;
}

HandsetModel one_hand() {
  HandsetModel model = made("Bench stick for one hand (made up)", 0x000b);
  add_keys(model, {"grip.trigger"});
  for (const int code : {ABS_X, ABS_Y})
    add_axis(
        model, code,
        {.minimum = -500, .maximum = 500, .rest_scatter = 12, .noise = 1, .tremble = 4, .reversed = code == ABS_Y});
  return model;
}

}  // namespace gyrax::testing::models
