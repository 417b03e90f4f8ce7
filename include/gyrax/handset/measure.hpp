/// What a recording of a device tells of its controls: ends, rest, noise, direction, habits, and what is wrong with
/// them.
///
/// In: a device and its raw events, taken while it lay still at first, then every control was moved to all its ends and
/// let go from each (x first to the right, y first away, triggers and throttles first up), then every key was pressed.
/// Out: a calibration with what is wrong in sentences. Never: a guess for a control that did not move.
///
///     gyrax::DeviceCalibration c = gyrax::measure(track, seconds);
#pragma once

#include <gyrax/handset/calibration_file.hpp>
#include <gyrax/handset/track.hpp>

namespace gyrax {

/// `length_s`: of the recording; what a control said last it says until then.
DeviceCalibration measure(const Track& track, double length_s);

/// The same for a person: every control a line, what is wrong, what to do. For a terminal of 100 columns.
std::string measured_text(const DeviceCalibration& calibration);
std::string measured_json(const DeviceCalibration& calibration);

}  // namespace gyrax
