/// Every failure that can be provoked, at the worst moments, on the simulated machine: predicted beside measured.
///
/// In: a rig. Out: for each axis and failure how far and how long it went at the worst, beside what was predicted.
/// Never: a clock; the same rig gives the same numbers every time.
///
///     gyrax::FaultsReport report = gyrax::provoke(rig);
///     fmt::print("{}", gyrax::text(rig, report, false));
#pragma once

#include <gyrax/rehearsal/rehearsal.hpp>
#include <gyrax/rig/predictions.hpp>

#include <cstdint>
#include <string>
#include <vector>

namespace gyrax {

/// One axis with one failure.
struct FaultRow {
  AxisId axis{};
  std::string failure, side, sentence;
  Prediction predicted;
  bool only_time = false;                            ///< it has no place, so that its way means nothing
  double way = 0, time_s = 0;                        ///< measured, each at its worst
  Cause cause = Cause::none;                         ///< that stopped it at the worst
  std::string moment, motion;                        ///< of the worst
  std::size_t runs = 0, beyond = 0, unexpected = 0;  ///< beyond: more than predicted; unexpected: another cause
  std::string unexpected_words;                      ///< the first of those
  std::string remark;
  std::size_t scene = 0;  ///< of the worst, for replaying it
  bool holds() const { return beyond == 0 && unexpected == 0; }
  /// The measured share of what was predicted, by way, or by time where no way is.
  double share() const;
  /// It is one of those in which nothing may move.
  bool forbids_motion() const { return predicted.time_s() == 0; }
  /// It stopped nothing at any moment, and need not.
  bool goes_on() const { return !forbids_motion() && !is_measured() && moment.empty() && cause == Cause::none; }
  /// Something moved after it, so that share() means something.
  bool is_measured() const { return !forbids_motion() && (way > 0 || time_s > 0); }
};

struct FaultsReport {
  std::vector<FaultRow> rows;        ///< by axis, the farthest first
  std::vector<std::string> untried;  ///< what could not be moved, and why
  std::size_t runs = 0;
  bool holds() const;
};

/// What is provoked; empty: everything.
struct FaultsWish {
  std::string axis, failure;
};
/// Of all failures that there are, by their codes, what each is.
struct AboutFailure {
  const char *code, *side, *sentence;
};
std::vector<AboutFailure> about_failures();

FaultsReport provoke(const Rig& rig, const FaultsWish& wish = {});

/// The worst run of a row once more, with every tick kept.
struct FaultReplay {
  Rig rig;  ///< at full speed, its axes where they were
  Rehearsal done;
  double failed_s = 0;
  double from_s = 0, to_s = 0;  ///< around that
};
/// `row`: of a report of this very rig. Errors: std::out_of_range where it cannot be.
FaultReplay replay(const Rig& rig, const FaultRow& row);

/// For a terminal of 120 columns: of each axis and side the farthest, with `all` every row.
std::string text(const Rig& rig, const FaultsReport& report, bool all);
std::string json(const Rig& rig, const FaultsReport& report);

}  // namespace gyrax
