/// What an axis's command becomes on its wire: a kind of word for each kind of drive.
///
/// In: a command. Out: one word of a frame. Never: a change of what was commanded beyond rounding to the drive's unit;
/// a word of anything but the command's mode, position and velocity (a word stands as long as those do).
///
/// A new kind is a struct with `is_place`, word() and meaning(), named in `Drive`; how a rig spells it is one row of
/// src/rig/drives.cpp.
#pragma once

#include <gyrax/base/command.hpp>
#include <gyrax/output/counted.hpp>
#include <gyrax/output/motor.hpp>
#include <gyrax/output/servo.hpp>

#include <variant>

namespace gyrax {

using Drive = std::variant<CountedMap, ServoMap, MotorMap>;

/// Whether a word is a place; otherwise it is a share of power, and the axis's position means nothing.
bool is_place(const Drive& drive) noexcept;
/// The word of a frame, in the drive's own unit.
AxisWord word_of(const Drive& drive, const AxisCommand& command) noexcept;
/// What a far end has to know to take it back into the axis's unit.
WordMeaning meaning_of(const Drive& drive) noexcept;

}  // namespace gyrax
