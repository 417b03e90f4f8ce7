// Builds a Rig from the tables of its documents, one section after another. Private to the rig room.
#pragma once

#include "drives.hpp"
#include "effects.hpp"
#include "link_kinds.hpp"
#include "names.hpp"
#include "shapes.hpp"

#include <gyrax/files/text_file.hpp>
#include <gyrax/handset/calibration_file.hpp>
#include <gyrax/handset/controls.hpp>
#include <gyrax/rig/rig.hpp>

#include <functional>
#include <map>
#include <string>
#include <vector>

namespace gyrax {

class RigBuilder {
 public:
  using Reader = std::function<Text(const std::string& path)>;
  RigBuilder(Problems& problems, const Reader& reader) : problems_(problems), reader_(reader) {}

  // In this order over all documents, so that names may be used before they are described.
  void read_basics(Table& root);
  void read_links(Table& root);
  void check_shared_wire(Table& table, const LinkInfo& link);
  void read_dialects(Table& root);
  void read_zones(Table& root);
  void read_inputs(Table& root);
  void read_axes(Table& root);
  void read_groups(Table& root);
  void read_poses(Table& root);
  void read_switches(Table& root);
  void read_actions(Table& root);
  void read_handsets(Table& root);
  void read_stations(Table& root);
  void read_layers(Table& root);
  void read_bindings(Table& root);
  /// The files in their order; what they say of bindings, put together.
  void build_bindings();
  std::vector<std::string> files;
  /// What only the whole can tell: groups of one, what zones depend on, what is missing.
  Rig finish(const std::string& path);
  /// Every table with a name, "switch.lamp", and where it stands.
  const std::map<std::string, Origin>& described() const { return described_; }
  /// The calibrations that it read.
  std::vector<RigSource> sources;

 private:
  bool add_name(Table& table, Names& names, const std::string& name, const char* kind);

  void read_axis(Table& table, const std::string& name);
  std::optional<std::pair<double, double>> read_travel(Table& table, AxisInfo& info);
  MotionLimits read_limits(Table& table, AxisInfo& info);
  void read_position(Table& table, const std::string& unit_name, AxisSetup& axis);
  void add_usual_link();
  void add_usual_zone();
  void read_end_switches(Table& table, AxisSetup& axis);
  void read_homed(Table& table, AxisSetup& axis);
  void read_homing(Table& table, AxisSetup& axis, const AxisInfo& info);
  void read_homes(Table& table, ActionSetup& action, const ActionInfo& info);
  void check_homing();
  void remark_homing();
  void read_trips(Table& table, const InputInfo& input);
  void read_duty(Table& table, AxisSetup& axis);
  void read_brake(Table& table, BrakeTimes& brake);
  void read_increments(Table& table);
  void resolve_needs();
  void read_lines(Table& table, ActionSetup& action, ActionInfo& info);
  void read_turns(Table& table, ActionSetup& action);
  void read_writes(Table& table, ActionSetup& action, ActionInfo& info);
  static RegisterWrite read_write(Table& row);
  void read_message(Table& table, ActionSetup& action, ActionInfo& info);
  void check_writes();
  void read_pauses(Table& table, ActionSetup& action);
  void check_pauses();
  void read_moved(Table& table, ActionSetup& action, bool all_of_link);
  void read_action_needs(Table& table, ActionSetup& action);
  void read_confirm(Table& table, ActionSetup& action, const ActionInfo& info);
  void resolve_registers();
  void resolve_dialects();
  void read_letters(Table& table, LinkId link);
  void allow_for_queue(LinkId link);
  void check_controlled(Table& table, LinkId link);
  std::vector<RegisterEntry> read_entries(Table& table, LinkId link, bool told);
  void read_axis_entries(Table& table, std::size_t axis, bool told, std::vector<RegisterEntry>& entries);
  void check_registers(Table& table, LinkId link, const RegisterMap& map);
  std::optional<NotchSetup::Override> read_override(Table& table);
  void read_own_override(Table& table, const std::vector<AxisId>& axes);
  void read_handset(Table& table, const std::string& name);
  void add_usual_handset();
  void read_control(Table& table, HandsetId handset, const std::string& name);
  void read_ends(Table& table, ControlWish& wish, const ControlName& control);
  void read_virtual(Table& virtual_control, HandsetId handset, const std::string& name);
  void read_wire(Table& table, SeatWish& seat);
  void read_calibration(Table& table, HandsetId handset, SeatWish& seat);
  const ControlWish* wish_for(HandsetId handset, const std::string& name) const;
  void give_shape(ControlSetup& setup, const ControlWish* wish, double usual_dead_zone) const;
  void read_stops(Table& table, ZoneSetup& zone);
  StowAfter read_stow_after(Table& table);

  /// A control and what it asks for, as it stands in the rig.
  struct Line {
    Table table;  // in which it stands, under `key`
    std::string key, control;
    HandsetId handset = no<HandsetId>;
    std::string held, latched;  // the layer: while a control is held, or by name
    Gesture gesture = Gesture::press;
    std::string word;  // what stands there: a word, or a table
    std::optional<Table> entry;
    Place place;
    LayerId layer = no<LayerId>;
  };

  void collect_lines(Table& place, HandsetId handset);
  void collect_controls(Table& table, HandsetId handset, const std::string& held, const std::string& latched);
  void collect_table(Line line);
  bool refuse_misnamed(const Line& line, Table& inner);
  void collect_values(Line line);
  bool is_control(HandsetId handset, const std::string& name) const;
  HandsetId handset_of(Line& line);
  void layer_of(Line& line);
  void build_binding(Line& line, const std::string& control, Part part);
  void read_chord(Line& line, const std::vector<std::string>& controls, BindingSetup& binding);
  void check_effect(Line& line, std::optional<Table>& entry, BindingSetup& binding);
  void check_held_to_run(Table& at, const char* key, const BindingSetup& binding);
  void read_repeat(Table& entry, BindingSetup& binding);
  SlotId control_named(Table& table, const char* key, HandsetId handset, const std::string& name, bool turned);
  std::size_t file_order(const std::string& file) const;
  void add_numbers();

  SlotId slot(HandsetId handset, const ControlName& control);
  SlotId virtual_slot(HandsetId handset, const std::string& name, const VirtualWish& made);
  SlotId add_slot(const ControlSetup& setup, const std::string& name, bool own_ends);

  void add_lone_groups();
  void check_gestures();
  void check_permits();
  void check_stops();
  void check_coupled();
  void check_layers();
  void refuse_binding(std::size_t row, std::string what, std::string allowed);
  bool smoothed(SlotId slot) const;
  bool holds_to_run(const BindingSetup& b) const;
  void collect_dependencies();
  void require_bindings();
  void remark_few_keys();
  void remark();
  void refuse_whole(Code code, std::string what, std::string allowed);

  Problems& problems_;
  const Reader& reader_;
  Rig rig_;
  std::vector<Line> lines_;
  EffectNames names_{rig_, {}, {}, {}, {}, {}, {}, {}, {}, false};
  std::map<std::string, std::size_t> action_groups_;
  Names group_names_, link_names_, handset_names_, input_names_;
  Origin shared_override_;
  std::map<std::string, OverrideId> group_overrides_;
  std::vector<std::vector<std::string>> needs_;  // by AxisId, until the switches are known
  std::vector<Table> needed_at_;
  std::vector<std::pair<LinkId, Table>> register_tables_;    // of links that have registers, until all else is known
  std::vector<std::pair<LinkId, Table>> controller_tables_;  // the same of controllers
  std::map<std::string, Dialect> dialects_;
  std::vector<std::pair<Table, std::vector<std::string>>> zone_needs_;  // by ZoneId, until the inputs are known
  std::map<std::string, Origin> described_;                             // every name, where it stands
  std::vector<std::uint8_t> grouped_;                                   // by AxisId
  std::map<std::pair<std::size_t, std::string>, ControlWish> wishes_;   // by handset and control or stick name
  std::map<std::pair<std::size_t, std::string>, VirtualWish> virtuals_;
  std::vector<std::uint16_t> axis_channels_, switch_channels_;  // by LinkId: channels used
  std::array<Category, cause_count> categories_ = default_categories();
};

}  // namespace gyrax
