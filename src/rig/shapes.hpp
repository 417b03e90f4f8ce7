// How what a control says is shaped: each stage with its keys, how they are read and how `check` describes them.
// Private to the rig room.
#pragma once

#include "../files/toml_reader.hpp"

#include <gyrax/handset/calibration_file.hpp>
#include <gyrax/signal/signal.hpp>

#include <optional>
#include <string>
#include <vector>

namespace gyrax {

/// What the rig says of a control, or of both halves of a stick.
struct ControlWish {
  std::optional<double> dead_zone;  // none: as it was measured, or the usual
  ControlSetup said;                // the rest of its shape; who it is stands elsewhere
  std::optional<Calibration> ends;
  std::optional<bool> reversed;
  std::optional<MeasuredControl> measured;  // by its calibration
};

/// A control that the rig makes of others, as it says.
struct VirtualWish {
  VirtualControl::How how = VirtualControl::How::none;
  std::vector<std::string> parts;
  double range = 1, press = 0.6, release = 0.45;
  bool lower = false, one_sided = true;
  ControlWish shape;
};

/// What has a shape: something between two ends, a key, a dial; a stick's two halves together.
enum class Shaped : std::uint8_t { deflection, stick, key, counts };

/// Reads every stage that a control may have.
void read_shape(Table& table, Shaped what, ControlWish& wish);
/// "dead zone 10 % (round), hysteresis 2 %, expo 40 %"; empty where nothing shapes it.
std::string shape_words(const ControlSetup& control);

}  // namespace gyrax
