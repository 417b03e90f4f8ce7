/// A handset of your own, told by shares and keys: it makes the readings that an engine takes, in order and numbered.
///
/// In: what the hands do, by the names of the rig's controls. Out: readings. Plugging in tells every control at rest
/// first; what is told before that an engine does not take, and says so (Event::Kind::unheard).
///
///     OwnHandset box(rig, "pad");
///     box.plug(now);
///     box.share("stick.left.x", 0.5, now);
///     box.key("shoulder.right", true, now);
///     engine.tick({now, box.readings(), reports}, out.view());
///     box.clear();
#pragma once

#include <gyrax/rig/rig.hpp>

#include <cstdint>
#include <span>
#include <string_view>
#include <vector>

namespace gyrax {

class OwnHandset {
 public:
  /// `name`: the handset's in the rig, which has to outlive it. Errors: std::invalid_argument where there is none.
  OwnHandset(const Rig& rig, std::string_view name);

  /// It is there: presence, and every control that the rig uses at rest (keys up, shares 0).
  void plug(Time now);
  void unplug(Time now);
  /// Errors of these: std::invalid_argument for a control that the rig does not use on this handset, or of another
  /// kind.
  void key(std::string_view control, bool down, Time now);
  /// -1 to 1 of a stick's axis, 0 to 1 of a trigger or knob, as the rig's ends have it; beyond them it is cut.
  void share(std::string_view control, double share, Time now);
  /// A dial, by counts since the last time.
  void turn(std::string_view control, std::int32_t counts, Time now);

  /// What was told since the last clear(), for one tick at or after its times. Times never go back.
  std::span<const Reading> readings() const noexcept { return readings_; }
  void clear() noexcept { readings_.clear(); }

 private:
  const ControlSetup& find(std::string_view control, bool (*fits)(ControlKind), const char* wanted) const;
  void say(ControlId control, std::int32_t raw, Time now);

  const Rig& rig_;
  HandsetId handset_ = no<HandsetId>;
  std::uint32_t sequence_ = 0;
  std::vector<Reading> readings_;
};

}  // namespace gyrax
