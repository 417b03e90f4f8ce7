// Builds a Rig from the tables of its documents, one section after another. Private to the rig room.
#pragma once

#include "../files/toml_reader.hpp"

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
  void read_zones(Table& root);
  void read_axes(Table& root);
  void read_groups(Table& root);
  void read_poses(Table& root);
  void read_switches(Table& root);
  void read_handsets(Table& root);
  void read_stations(Table& root);
  void read_layers(Table& root);
  void read_bindings(Table& root);
  /// The files in their order; what they say of bindings, put together.
  void build_bindings();
  std::vector<std::string> files;
  /// What only the whole can tell: groups of one, what zones depend on, what is missing.
  Rig finish(const std::string& path);
  /// The calibrations that it read.
  std::vector<RigSource> sources;

 private:
  /// What the rig says of a control, or of both halves of a stick.
  struct ControlWish {
    std::optional<double> dead_zone;
    double hysteresis = 0, outer = 0;
    Zone straight{0, 0, 0};
    std::optional<Curve> curve;
    double smoothing_s = 0;
    std::optional<std::pair<double, double>> press;
    Span debounce{};
    int detent = 1;
    std::optional<Calibration> ends;
    std::optional<bool> reversed;
    std::optional<MeasuredControl> measured;  // by its calibration
  };
  struct VirtualWish {
    VirtualControl::How how = VirtualControl::How::none;
    std::vector<std::string> parts;
    double range = 1, press = 0.6, release = 0.45;
    bool lower = false, one_sided = true;
    ControlWish shape;
  };
  using Names = std::map<std::string, std::size_t>;

  bool add_name(Table& table, Names& names, const std::string& name, const char* kind);
  template <class Id>
  Id named(Table& table, const char* key, const Names& names, const std::string& word, const char* kind);
  template <class Id>
  Id pick(Table& table, const char* key, const Names& names, const char* kind);

  void read_axis(Table& table, const std::string& name);
  std::optional<std::pair<double, double>> read_travel(Table& table, AxisInfo& info);
  MotionLimits read_limits(Table& table, AxisInfo& info);
  void read_position(Table& table, AxisSetup& axis);
  void read_servo(Table& table, AxisSetup& axis);
  void read_increments(Table& table);
  void read_motor(Table& table, AxisSetup& axis);
  void resolve_needs();
  std::optional<NotchSetup::Override> read_override(Table& table);
  void read_own_override(Table& table, const std::vector<AxisId>& axes);
  void read_simulated(Table& link, SimulatedInfo& info);
  void read_handset(Table& table, const std::string& name);
  void add_usual_handset();
  void read_control(Table& table, HandsetId handset, const std::string& name);
  void read_shape(Table& table, ControlWish& wish, bool pair);
  void read_ends(Table& table, ControlWish& wish, const ControlName& control);
  void read_virtual(Table& virtual_control, HandsetId handset, const std::string& name);
  void read_calibration(Table& table, HandsetId handset, SeatWish& seat);
  const ControlWish* wish_for(HandsetId handset, const std::string& name) const;
  void give_shape(ControlSetup& setup, const ControlWish* wish, double usual_dead_zone) const;
  void read_stops(Table& table, ZoneSetup& zone);

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
  /// Which of a pair's controls a binding is for.
  struct Part {
    std::optional<std::size_t> object;  // which of two objects
    int sign = 1;                       // −1: the opposite of what is said
  };
  struct EffectRow;
  static const std::vector<EffectRow>& effects();
  static bool is_effect(const std::string& key);

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
  void check_gesture(Line& line, std::optional<Table>& entry, BindingSetup& binding);
  void read_repeat(Table& entry, BindingSetup& binding);
  SlotId control_named(Table& table, const char* key, HandsetId handset, const std::string& name, bool turned);
  std::size_t file_order(const std::string& file) const;
  void add_numbers();

  bool read_effect(Table& entry, Part part, BindingSetup& binding);
  bool read_word(Line& line, BindingSetup& binding);
  std::optional<std::string> object_of(Table& entry, const char* key, Part& part);
  bool read_axis_of(Table& entry, const EffectRow& row, Part& part, BindingSetup& binding);
  void refuse_pair(Table& entry, const EffectRow& row, const Part& part);
  void refuse_motor(Table& entry, const char* effect, const BindingSetup& binding);
  void read_jog(Table& entry, const EffectRow& row, Part part, BindingSetup& binding);
  void read_stages(Table& entry, BindingSetup& binding);
  void read_step(Table& entry, const EffectRow& row, Part part, BindingSetup& binding);
  void read_follow(Table& entry, const EffectRow& row, Part part, BindingSetup& binding);
  void read_go(Table& entry, const EffectRow& row, Part part, BindingSetup& binding);
  void read_pose(Table& entry, const EffectRow& row, Part part, BindingSetup& binding);
  void read_reduced(Table& entry, const EffectRow& row, Part part, BindingSetup& binding);
  void read_set(Table& entry, const EffectRow& row, Part part, BindingSetup& binding);
  void read_notch(Table& entry, const EffectRow& row, Part part, BindingSetup& binding);
  void read_adjust(Table& entry, const EffectRow& row, Part part, BindingSetup& binding);
  void read_choose(Table& entry, const EffectRow& row, Part part, BindingSetup& binding);
  void read_layer_effect(Table& entry, const EffectRow& row, Part part, BindingSetup& binding);
  void read_permit(Table& entry, const EffectRow& row, Part part, BindingSetup& binding);
  bool is_kind(const BindingSetup& binding, ControlKind kind) const;
  /// The counted position nearest to one inside the travel that is inside it, too.
  static Nano goal_inside(const AxisLimits& limits, double position);
  std::string describe(const BindingSetup& binding) const;

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
  void collect_dependencies();
  void require_bindings();
  void remark();
  void refuse_whole(Code code, std::string what, std::string allowed);

  Problems& problems_;
  const Reader& reader_;
  Rig rig_;
  std::vector<Line> lines_;
  bool chooses_ = false, adjusts_chosen_ = false;
  Names number_names_, group_names_, layer_names_, axis_names_, switch_names_, zone_names_, link_names_, handset_names_, pose_names_;
  std::vector<std::vector<PosePlace>> poses_;  // in the order of pose_names_
  Origin shared_override_;
  std::map<std::string, OverrideId> group_overrides_;
  std::vector<std::vector<std::string>> needs_;  // by AxisId, until the switches are known
  std::vector<Table> needed_at_;
  bool can_be_reduced_ = false;                                        // the rig says what reduced speed is
  std::map<std::string, Origin> described_;                            // every name, where it stands
  std::vector<std::uint8_t> grouped_;                                  // by AxisId
  std::map<std::pair<std::size_t, std::string>, ControlWish> wishes_;  // by handset and control or stick name
  std::map<std::pair<std::size_t, std::string>, VirtualWish> virtuals_;
  std::vector<std::uint16_t> axis_channels_, switch_channels_;  // by LinkId: channels used
  std::array<Category, cause_count> categories_ = default_categories();
};

}  // namespace gyrax
