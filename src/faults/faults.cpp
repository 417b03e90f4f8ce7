#include "failures.hpp"

#include <gyrax/faults/faults.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <limits>
#include <map>
#include <memory>

namespace gyrax {
namespace {

/// What rounding may add: a servo's power comes with its pulse, which is told in whole microseconds; another axis is
/// taken up where it is measured, to the last digit of its report.
double slack_of(const AxisSetup& axis) {
  const auto* servo = std::get_if<ServoMap>(&axis.drive);
  return servo == nullptr ? sim::BenchAxis{}.resolution : std::abs(servo->position(1501) - servo->position(1500));
}

/// At the greatest override, without reduced speed, with the greatest increments, and with each axis where the motion
/// has most room.
Rig at_full_speed(Rig rig, AxisId axis, const Way& way) {
  NotchSetup& notches = rig.setup.notches;
  for (NotchSetup::Override& list : notches.overrides)
    list.start = static_cast<std::size_t>(std::ranges::max_element(list.values) - list.values.begin());
  for (NotchSetup::Increments& list : notches.increments)
    if (!list.values.empty())
      list.start = static_cast<std::size_t>(std::ranges::max_element(list.values) - list.values.begin());
  notches.reduced.starts_on = false;
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    AxisSetup& setup = rig.setup.axes[a];
    const bool has_ends = !rig.axes[a].endless && !rig.axes[a].motor;
    if (id_at<AxisId>(a) == axis)
      setup.start = start_for(rig, axis, way);
    else if (has_ends && setup.position == PositionKind::measured)
      setup.start = (setup.limits.low() + setup.limits.high()) / 2;
  }
  return rig;
}

/// The rig for one motion of one axis.
struct AtFullSpeed {
  AtFullSpeed(const Rig& from, AxisId a, const Way& way)
      : axis(a), binding(way.binding), rig(at_full_speed(homed(from), a, way)), predictor(rig, a) {}
  AxisId axis;
  BindingId binding;
  Rig rig;
  Predictor predictor;
  std::map<const Failure*, Prediction> predicted;  // worked out once
};

/// All scenes of a rig, in their order: the same for the same rig.
std::vector<Scene> scenes_of(const Rig& rig) {
  std::vector<Scene> all;
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisId axis = id_at<AxisId>(a);
    for (const Way& way : ways_of(rig, axis))
      for (const Failure& failure : all_failures())
        for (const Moment moment : {Moment::at_speed, Moment::speeding_up, Moment::pushed_on, Moment::near_the_end,
                                    Moment::other_slows, Moment::layer_changes})
          for (const Late late : {Late::never, Late::at_once, Late::at_notice}) {
            if (moment != Moment::at_speed && failure.rules.when != When::moving) continue;
            if (late != Late::never && failure.rules.when == When::starting) continue;
            if (late == Late::at_notice && failure.rules.by_hand) continue;
            all.push_back({axis, way, moment, &failure, late, all.size()});
          }
  }
  return all;
}

struct Judged {
  TrialResult result;
  Prediction predicted;
  double way = 0;
  bool applies = false, goes_on = false, beyond = false, unexpected = false;
};

Judged judge(const Scene& scene, AtFullSpeed& made, Rehearsal* kept = nullptr) {
  const Predictor& predictor = made.predictor;
  const Rig& rig = predictor.rig();
  Judged it;
  const Failure& failure = *scene.failure;
  Trial trial(rig, scene, predictor);
  if (!(predictor.speed() > 0) || (failure.rules.applies != nullptr && !failure.rules.applies(predictor, trial)))
    return it;
  it.applies = true;
  const auto [known, is_new] = made.predicted.try_emplace(&failure);
  if (is_new) known->second = failure.predicted(predictor, trial);
  it.predicted = known->second;
  it.result = trial.carry_out(it.predicted, kept);
  if (!it.result.reached) return it;
  const AxisSetup& axis = rig.setup.axes[index(scene.axis)];
  it.way = !is_place(axis.drive) ? 0 : failure.rules.forward ? it.result.forward : it.result.way;
  it.goes_on = failure.rules.may_go_on && it.result.cause == Cause::none &&
               (failure.side != Side::machine || it.result.off <= axis.following_error * 1.2);
  if (it.goes_on) return it;
  const double later_s = to_seconds(rig.period);
  it.beyond = it.way > it.predicted.way() + slack_of(axis) ||
              (failure.rules.when != When::starting && it.result.time_s > it.predicted.time_s() + later_s) ||
              (!it.result.rested && !failure.rules.forward);
  if (!failure.causes.empty() && std::ranges::count(failure.causes, it.result.cause) == 0) it.unexpected = true;
  return it;
}

}  // namespace

double FaultRow::share() const {
  if (!only_time && predicted.way() > 0) return way / predicted.way();
  return predicted.time_s() > 0 ? time_s / predicted.time_s() : 1;
}

bool FaultsReport::holds() const {
  return std::ranges::all_of(rows, [](const FaultRow& row) { return row.holds(); });
}

std::vector<AboutFailure> about_failures() {
  std::vector<AboutFailure> all;
  for (const Failure& failure : all_failures()) all.push_back({failure.code, name_of(failure.side), failure.sentence});
  return all;
}

FaultsReport provoke(const Rig& rig, const FaultsWish& wish) {
  FaultsReport report;
  std::map<std::pair<AxisId, const Failure*>, FaultRow> rows;
  std::map<std::pair<AxisId, std::string>, std::string> untried;
  const std::vector<Scene> scenes = scenes_of(rig);
  std::unique_ptr<AtFullSpeed> made;
  for (std::size_t i = 0; i < scenes.size(); ++i) {
    const Scene& scene = scenes[i];
    if (!wish.axis.empty() && rig.axes[index(scene.axis)].name != wish.axis) continue;
    if (!wish.failure.empty() && scene.failure->code != wish.failure) continue;
    if (!made || made->axis != scene.axis || made->binding != scene.way.binding)
      made = std::make_unique<AtFullSpeed>(rig, scene.axis, scene.way);
    const Judged it = judge(scene, *made);
    if (!it.applies) continue;
    ++report.runs;
    if (!it.result.reached) {
      if (!it.result.why_not.empty()) untried.try_emplace({scene.axis, sentence(rig, scene.way)}, it.result.why_not);
      continue;
    }
    FaultRow& row = rows[{scene.axis, scene.failure}];
    const bool first = row.runs++ == 0;
    if (first) {
      row.axis = scene.axis;
      row.failure = scene.failure->code;
      row.side = name_of(scene.failure->side);
      row.sentence = scene.failure->sentence;
      row.remark = scene.failure->rules.remark;
      row.only_time = !is_place(rig.setup.axes[index(scene.axis)].drive);
    }
    if (first || it.predicted.way() > row.predicted.way()) row.predicted = it.predicted;
    if (it.goes_on) continue;
    row.time_s = std::max(row.time_s, it.result.time_s);
    const bool worst = it.way > row.way || (row.moment.empty() && it.way >= row.way);
    if (worst || it.beyond) {
      row.way = std::max(row.way, it.way);
      row.cause = it.result.cause;
      row.moment = scene.failure->rules.when == When::moving ? words_of(scene.moment) : "";
      row.motion = sentence(rig, scene.way);
      row.scene = i;
    }
    row.beyond += it.beyond ? 1 : 0;
    if (it.unexpected && row.unexpected++ == 0)
      row.unexpected_words =
          it.result.cause == Cause::none ? "nothing stopped it" : std::string(about(it.result.cause).name);
  }
  for (auto& [key, row] : rows) report.rows.push_back(std::move(row));
  std::ranges::stable_sort(report.rows, [](const FaultRow& a, const FaultRow& b) {
    return a.axis != b.axis ? a.axis < b.axis : a.way != b.way ? a.way > b.way : a.time_s > b.time_s;
  });
  for (const auto& [key, why] : untried) report.untried.push_back(fmt::format("{}: {}", key.second, why));
  return report;
}

FaultReplay replay(const Rig& rig, const FaultRow& row) {
  const Scene scene = scenes_of(rig).at(row.scene);
  AtFullSpeed made(rig, scene.axis, scene.way);
  FaultReplay replay{made.rig, {}};
  const Judged it = judge(scene, made, &replay.done);
  replay.failed_s = it.result.at_s;
  replay.from_s = std::max(0.0, it.result.at_s - 0.3);
  replay.to_s =
      it.result.at_s + std::max(it.result.time_s, it.predicted.notice_s < 2 ? it.predicted.time_s() : 0) + 0.2;
  return replay;
}

}  // namespace gyrax
