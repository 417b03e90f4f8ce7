/// What a channel of a board is, and what it becomes when it hears nothing.
#pragma once

#include <cstdint>

namespace gyrax::wire {

enum class ChannelKind : std::uint8_t { servo = 1, motor, stepper, on_off, digital, analog, encoder };
/// "servo"; a switch is "switch".
const char* name_of(ChannelKind kind) noexcept;
inline bool is_output(ChannelKind kind) noexcept { return kind <= ChannelKind::on_off; }

/// What a channel becomes when nothing valid tells it anything any more.
enum class Loss : std::uint8_t { stay, limp, place, off };
const char* name_of(Loss loss) noexcept;

}  // namespace gyrax::wire
