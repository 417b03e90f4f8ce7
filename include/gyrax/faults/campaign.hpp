/// A rig in the hands of somebody who means harm, with wires, machines and a program that fail at random: does it ever
/// do what it must not?
///
/// In: a rig, so many ticks, a seed. Out: what was done, and every violation with the seed and the life in which it
/// came. Never: a clock; the same seed gives the same lives.
///
///     gyrax::CampaignReport report = gyrax::campaign(rig, 1'000'000, 1);
///
/// What is held in every tick: each command within its axis's limits and travel; motion only while its zone is live or
/// stops; rest as soon as the deceleration allows; no power after a stop of category 0 or 1; live only while somebody
/// holds what allows it; the machine at rest once its power is gone; no brake worked on an axis that moves; and what
/// has not changed the same as if all were worked out anew.
#pragma once

#include <gyrax/rig/rig.hpp>

#include <cstdint>
#include <string>
#include <vector>

namespace gyrax {

struct CampaignReport {
  std::uint64_t ticks = 0, lives = 0;
  std::uint64_t moving = 0;  ///< ticks with an axis that moves
  std::uint64_t times_live = 0, stops = 0, trips = 0, failures = 0;
  std::uint64_t near = 0;  ///< ticks at the very end of what a stop may take
  std::uint64_t violations = 0;
  std::vector<std::string> told;  ///< the first of them, with seed, life and tick
};

CampaignReport campaign(const Rig& rig, std::uint64_t ticks, std::uint64_t seed);

std::string text(const Rig& rig, const CampaignReport& report, std::uint64_t seed);
std::string json(const Rig& rig, const CampaignReport& report, std::uint64_t seed);

}  // namespace gyrax
