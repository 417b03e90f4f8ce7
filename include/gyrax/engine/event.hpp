/// What happened in the engine, as numbered facts with a time, a cause and a number.
///
///     while (events.read(event)) …
#pragma once

#include <gyrax/base/nano.hpp>
#include <gyrax/base/time.hpp>
#include <gyrax/permit/interlock.hpp>
#include <gyrax/permit/phase.hpp>

#include <cstdint>
#include <vector>

namespace gyrax {

struct Event {
  enum class Kind : std::uint8_t {
    state,           ///< a zone's state is now `state`; `cause` where it stops or has tripped
    fault,           ///< `cause` arose in `zone`. Of an input: `obstacle` says which, and it was at `number`
                     ///< billionths of its unit
    refused,         ///< a person asked for `state` in `zone`; `obstacle` is in the way. Of a control that is not at
                     ///< neutral: it is at `number` thousandths of a percent of its deflection
    step,            ///< a step of `number` nano-units was added to `axis`'s goal
    step_refused,    ///< a step of `number` nano-units on `axis` was refused; `obstacle` says why
    wheel_refused,   ///< `number` counts of a handwheel for `axis` did nothing; `obstacle` says why. Once a second at
                     ///< most
    switch_refused,  ///< turning `target` was refused; `obstacle` says why
    override,        ///< the override `which` is now `number` thousandths of a percent
    increment,       ///< the increments `which` moved; `axis`, one of them, is at `number` nano-units now
    chosen,          ///< a dial adjusts `which` now
    layer,           ///< `layer` is now latched on (`number` 1) or off (0)
    in_charge,       ///< obstacle.handset is in charge of `zone` now
    move_refused,    ///< `by` would move `axis`; `obstacle` says why it does not. Once for each time that it is touched
    reduced,         ///< reduced speed is now on (`number` 1) or off (0)
    switched,        ///< `target` is now on (`number` 1) or off (0)
    gap,             ///< `number` readings of obstacle.handset were lost
    dropped,         ///< of the steps and counts that `axis` took, `number` nano-units are not made any more
    number_refused,  ///< `which` (none: reduced speed) does not get faster; `obstacle` says why
    steady,          ///< nothing on obstacle.handset changed for long: in `number` ms its zone stops
    unheard,         ///< a reading of obstacle.handset was not taken: it is not present. Once until it is plugged in
    homed,   ///< `axis` is homed (`number` 1) or not (0), by obstacle.input. Told when its zone is made ready as
             ///< well, where it is not
    action,  ///< what has become of `action` is the ActionStep with this `number`; `cause` where a stop ended it
    action_refused,  ///< `action` was refused; `obstacle` says why. It was under way (`number` 1), or not (0)
    zero,            ///< the person's own zero of `axis` is at `number` nano-units of the machine's now
    zero_refused,    ///< setting it was refused; `obstacle` says why
  };
  static constexpr std::size_t kinds = static_cast<std::size_t>(Kind::zero_refused) + 1;
  Time at{};
  Kind kind = Kind::state;
  ZoneId zone = no<ZoneId>;
  State state = State::stowed;
  Cause cause = Cause::none;
  Obstacle obstacle{};
  AxisId axis = no<AxisId>;
  SwitchId target = no<SwitchId>;
  NumberId which = no<NumberId>;
  LayerId layer = no<LayerId>;
  SlotId by = no<SlotId>;
  ActionId action = no<ActionId>;
  std::int64_t number = 0;
  bool operator==(const Event&) const = default;
};

/// A ring of the latest events, sized once. Writing never waits: what nobody read in time is overwritten and counted.
class EventRing {
 public:
  /// `capacity` ≥ 1.
  explicit EventRing(std::size_t capacity) : events_(capacity > 0 ? capacity : 1) {}
  void write(const Event& event) noexcept;
  /// The oldest unread event; false if there is none.
  bool read(Event& event) noexcept;
  std::uint64_t overwritten() const noexcept { return overwritten_; }

 private:
  std::vector<Event> events_;
  std::size_t first_ = 0, count_ = 0;
  std::uint64_t overwritten_ = 0;
};

}  // namespace gyrax
