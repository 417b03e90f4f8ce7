/// What a person asked for at one moment, or what became of that at once.
#pragma once

#include <gyrax/bind/effect.hpp>

namespace gyrax {

struct Ask {
  enum class Kind : std::uint8_t {
    ready,
    stow,
    ready_or_stow,
    enable,
    release,
    squeeze,
    stop,
    reset,
    reset_long,  ///< reset was kept down for `Bind::long_reset`
    squeezed,    ///< enable, squeezed through already
    step,
    wheel,
    move,  ///< stale or touched: what moves an axis as long as it is deflected or held
    set,
    action,
    zero,     ///< `distance`: what the axis `coordinate` is to read where it stands
    number,   ///< an override or an increment is another one now
    chosen,   ///< another number is chosen
    layer,    ///< a latched layer is on or off now
    reduced,  ///< reduced speed is on or off now
    raise,    ///< a number that would be faster, on a handset that is not in charge
  };
  /// stale: begun before its zone stopped or changed. touched: on a handset that is not in charge. Neither does
  /// anything.
  enum class Counts : std::uint8_t { yes, stale, touched };
  Kind kind = Kind::stop;
  Counts counts_as = Counts::yes;
  SwitchTo to = SwitchTo::toggle;  ///< of set
  bool is_machines = false;        ///< of zero: the machine's again
  bool lost = false;               ///< of set: a momentary one, and nobody knows whether its control is still held
  BindingId binding{};
  SlotId by{};
  CoordinateId coordinate = no<CoordinateId>;
  SwitchId target = no<SwitchId>;
  ActionId action = no<ActionId>;
  LayerId layer = no<LayerId>;
  NumberId number = no<NumberId>;
  ZoneBits zones = 0;       ///< of a word to the permit; of anything stale
  std::int32_t counts = 0;  ///< of wheel
  Nano distance = 0;        ///< of step; of wheel: for each count
  Nano max_owed = 0;        ///< of wheel
};

}  // namespace gyrax
