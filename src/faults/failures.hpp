// What can fail, and what each failure is to come to. Private to the faults room.
#pragma once

#include "trial.hpp"

#include <gyrax/rig/predictions.hpp>

#include <span>
#include <vector>

namespace gyrax {

/// In which state it happens.
enum class When : std::uint8_t {
  moving,    ///< at each moment of each motion
  standing,  ///< live, while it stands
  starting   ///< before anything moves; nothing may move then
};

struct FailureRules {
  When when = When::moving;
  bool (*applies)(const Predictor& predictor, const Trial& trial) = nullptr;  ///< null: always
  bool by_radio = false;                                                      ///< its handsets are wireless
  bool by_hand = false;     ///< it can come as late as a reading may be
  bool may_go_on = false;   ///< it may be too small to stop anything: a report within the following error
  bool from_stop = false;   ///< it stops some time later: the way from there on counts
  double least_speed = 0;   ///< the share of full speed below which it is none, or cannot be told
  bool forward = false;     ///< the axis goes back afterwards: the way that it was going counts
  const char* remark = "";  ///< why less is measured than predicted, where that is so
};

struct Failure {
  const char* code;
  Side side;
  const char* sentence;       ///< "its handset is unplugged"
  std::vector<Cause> causes;  ///< what may stop it; none: a stop is no part of it
  Prediction (*predicted)(const Predictor& predictor, const Trial& trial);
  void (*act)(Trial& trial);
  FailureRules rules{};
};

/// All of them, in the order in which they are told.
std::span<const Failure> all_failures();

}  // namespace gyrax
