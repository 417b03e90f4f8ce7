// What a line asks for: each effect with its key, how it is read and how `check` describes it. Private to the rig room.
#pragma once

#include "names.hpp"

#include <gyrax/rig/rig.hpp>

#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace gyrax {

/// Which of a pair's controls a binding is for.
struct Part {
  std::optional<std::size_t> object;  // which of two objects
  int sign = 1;                       // −1: the opposite of what is said
};

/// What effects can name.
struct EffectNames {
  const Rig& rig;
  Names axes, switches, zones, layers, numbers, poses, actions;
  std::vector<std::vector<PosePlace>> places;  // in the order of the poses
  bool can_be_reduced = false;                 // the rig says what reduced speed is
};

/// A line's table as one effect reads it.
class EffectTable {
 public:
  Table& entry;
  const char* key;
  Part part;
  const BindingSetup& binding;
  const EffectNames& known;

  /// The object's name; `-x` turns the part round. For a pair, its own of the two objects.
  std::optional<std::string> object();
  /// The axis that is named.
  std::optional<AxisId> axis();
  /// What `kind` of thing is named, among `names`; `no` where it is none.
  template <class Id>
  Id one_of(const Names& names, const char* kind) {
    const auto word = object();
    return word ? named<Id>(entry, key, names, *word, kind) : no<Id>;
  }
  /// Whether it is for each of two opposite keys what it is for one.
  void refuse_pair();
  /// A motor runs at a share of its power, and nothing takes it to a place.
  void refuse_motor(AxisId axis);
  bool is_kind(ControlKind kind) const;
  SwitchTo switch_to(const char* from);
  /// `{ override = "up" }`, `{ override = 25 }`, `{ override = "carriage", to = 25 }`; increments in the same way. The
  /// opposite of up is down. `among` tells whether a value is one of the number's notches.
  struct Notch {
    NumberId number = no<NumberId>;
    int by = 0;
    std::optional<double> value{};
  };
  Notch notch(const Allowed& allowed, const std::function<bool(const NotchSetup::Number&, double)>& among);
};

struct EffectRow {
  const char* key;
  Effect plain;  // as a bare word means it
  Effect (*read)(EffectTable& table);
  std::string (*describe)(const Rig& rig, const BindingSetup& binding);
};
/// A row for each effect, in the order of Effect.
const std::vector<EffectRow>& effect_rows();

/// `from = "zero"`: a place that counts from the person's own zero, not from the machine's.
bool is_from_zero(Table& table);
/// The places that may be named: in the travel, or as far from one's own zero as the travel is long.
Allowed places_of(const AxisLimits& limits, bool from_zero);
/// The counted position nearest to one inside the travel that is inside it, too.
Nano counted_inside(const AxisLimits& limits, double position);

bool is_effect(const std::string& key);
/// Whether a table asks for something that a dial's counts can do.
bool takes_counts(const Table& entry);
/// The one effect of an entry; what stands beside it is its own. None: there is none, or more than one.
std::optional<Effect> read_effect(Table& entry, Part part, const BindingSetup& binding, const EffectNames& known);
/// A bare word under `key`: what the permit takes, of all zones.
std::optional<Effect> read_word(Table& table, const std::string& key, const std::string& word);
/// The whole sentence: the control, its gesture and layer, what it asks for, how often.
std::string describe(const Rig& rig, const BindingSetup& binding);

}  // namespace gyrax
