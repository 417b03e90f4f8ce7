/// A person with all of a rig's handsets in hand, who can do what any control of them does.
///
/// In: what to press, push, turn, plug in; how the wire to the handset spoils it. Out: readings, as they arrive. Never:
/// a device; a clock of its own.
///
///     Operator hands(rig);
///     hands.plug(pad, now).put(stick, 1, now);
///     engine.tick({now, hands.take(now), reports}, out);
#pragma once

#include <gyrax/base/reading.hpp>
#include <gyrax/rig/rig.hpp>

#include <span>
#include <vector>

namespace gyrax {

class Operator {
 public:
  /// `rig` has to last as long.
  explicit Operator(const Rig& rig);

  /// Plugged in, every control at rest; what was put before it was plugged in is told as it stands.
  Operator& plug(HandsetId handset, Time now, bool by_radio = false);
  Operator& unplug(HandsetId handset, Time now);
  /// A key (0 or 1), a stick or a trigger (a share of its range, before the dead zone). Of a virtual control: what it
  /// is made of.
  Operator& put(SlotId slot, double share, Time now);
  /// A dial by so many detents.
  Operator& turn(SlotId slot, int detents, Time now);
  /// Any reading, as it is; its number is filled in, its arrival when it is taken.
  Operator& say(Reading reading);
  /// So many readings are lost without a word.
  Operator& miss(HandsetId handset, std::uint32_t readings);
  /// What the handset says from now on goes nowhere: its radio repeats the last values, or nothing at all comes.
  Operator& freeze(HandsetId handset, Time now, bool frozen = true);
  /// What is said from now on is that late.
  void delay(Span by) { delay_ = by; }
  double share(SlotId slot) const { return shares_[index(slot)]; }
  bool plugged(HandsetId handset) const { return handsets_[index(handset)].plugged; }

  /// All that has arrived by `now` since the last call. Valid until the next call.
  std::span<const Reading> take(Time now);

 private:
  struct Handset {
    std::uint32_t sequence = 0;
    bool plugged = false, frozen = false;
    Time said{};
    SlotId steady = no<SlotId>;    // what it says again and again, where it reports steadily
    SlotId trembles = no<SlotId>;  // no hand is quite still
    Time trembled{};
    bool off = false;
  };
  struct Waiting {
    Reading reading;
    Time due;
  };
  void tell(SlotId slot, Time now, std::int32_t off = 0);
  void tremble(Handset& handset, Time now);
  void tell_all(HandsetId handset, Time now);
  void put_virtual(const ControlSetup& control, double share, Time now);

  const Rig& rig_;
  std::vector<Handset> handsets_;
  std::vector<double> shares_;  // by SlotId
  std::vector<Waiting> waiting_;
  std::vector<Reading> taken_;
  Span delay_{};
};

}  // namespace gyrax
