// Builds a Rig from the tables of its documents, one section after another. Private to the rig room.
#pragma once

#include "../files/toml_reader.hpp"

#include <gyrax/handset/controls.hpp>
#include <gyrax/rig/rig.hpp>

#include <map>
#include <string>
#include <vector>

namespace gyrax {

class RigBuilder {
 public:
  explicit RigBuilder(Problems& problems) : problems_(problems) {}

  // In this order over all documents, so that names may be used before they are described.
  void read_basics(Table& root);
  void read_links(Table& root);
  void read_zones(Table& root);
  void read_axes(Table& root);
  void read_groups(Table& root);
  void read_poses(Table& root);
  void read_switches(Table& root);
  void read_handsets(Table& root);
  void read_bindings(Table& root);
  /// What only the whole can tell: groups of one, what zones depend on, what is missing.
  Rig finish(const std::string& path);

 private:
  struct ControlWish {
    std::optional<double> dead_zone;
    std::optional<Calibration> ends;
    std::optional<bool> reversed;
  };
  using Names = std::map<std::string, std::size_t>;

  bool add_name(Table& table, Names& names, const std::string& name, const char* kind);
  template <class Id>
  Id named(Table& table, const char* key, const Names& names, const std::string& word, const char* kind);
  template <class Id>
  Id pick(Table& table, const char* key, const Names& names, const char* kind);

  void read_axis(Table& table, const std::string& name);
  std::optional<std::pair<double, double>> read_travel(Table& table, AxisInfo& info);
  Pace read_pace(Table& table, AxisInfo& info);
  void read_position(Table& table, AxisSetup& axis);
  void read_servo(Table& table, AxisSetup& axis);
  void read_increments(Table& table);
  void read_simulated(Table& link, SimulatedInfo& info);
  void read_handset(Table& table, const std::string& name);
  void read_control(Table& table, HandsetId handset, const std::string& name);
  void read_stops(Table& table, ZoneSetup& zone);

  void read_binding(Table& row);
  bool read_effect(Table& row, BindingSetup& binding);
  void read_jog(Table& row, BindingSetup& binding);
  void read_step(Table& row, BindingSetup& binding);
  void read_handwheel(Table& row, BindingSetup& binding);
  void read_follow(Table& row, BindingSetup& binding);
  void read_stages(Table& table, BindingSetup& binding);
  void read_reduced(Table& row, BindingSetup& binding);
  void read_pose(Table& row, BindingSetup& binding);
  void require_increments(Table& row, const char* effect, const BindingSetup& binding);
  bool is_kind(const BindingSetup& binding, ControlKind kind) const;
  void read_go(Table& row, BindingSetup& binding);
  void read_set(Table& row, BindingSetup& binding);
  void read_notch(Table& row, const char* key, Effect effect, BindingSetup& binding);
  void read_permit(Table& row, BindingSetup& binding);
  std::optional<Table> target(Table& row, const char* effect, const char* noun, BindingSetup& binding);
  std::string describe(const BindingSetup& binding) const;
  std::string places(const BindingSetup& binding) const;

  SlotId slot(HandsetId handset, const ControlName& control);
  SlotId control_of(Table& row, const char* key, HandsetId handset);
  HandsetId handset_of(Table& row);

  void add_lone_groups();
  void collect_dependencies();
  void require_bindings();
  void remark();
  void refuse_whole(Code code, std::string what, std::string allowed);

  Problems& problems_;
  Rig rig_;
  Names axis_names_, switch_names_, zone_names_, link_names_, handset_names_, pose_names_;
  std::vector<std::vector<PosePlace>> poses_;                          // in the order of pose_names_
  bool can_be_reduced_ = false;                                        // the rig says what reduced speed is
  std::map<std::string, Origin> described_;                            // every name, where it stands
  std::vector<std::uint8_t> grouped_;                                  // by AxisId
  std::map<std::pair<std::size_t, std::string>, ControlWish> wishes_;  // by handset and control or stick name
  std::vector<std::uint16_t> axis_channels_, switch_channels_;         // by LinkId: channels used
  std::array<Category, cause_count> categories_ = default_categories();
};

}  // namespace gyrax
