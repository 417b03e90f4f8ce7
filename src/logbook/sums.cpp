#include "sums.hpp"

#include <algorithm>
#include <bit>

namespace gyrax {
namespace {

std::uint64_t mixed(std::uint64_t sum, std::uint64_t word) {
  sum = (sum ^ word) * 0x9E3779B97F4A7C15;
  return sum ^ sum >> 32;
}

std::uint64_t bits(double value) { return std::bit_cast<std::uint64_t>(value); }

}  // namespace

std::uint16_t OutputSums::tick(std::span<const AxisCommand> commands, std::span<const std::uint8_t> switches) noexcept {
  std::uint64_t all = 0;
  for (std::size_t a = 0; a < commands.size() && a < axes_.size(); ++a) {
    const AxisCommand& c = commands[a];
    const std::uint64_t one =
        mixed(mixed(mixed(mixed(0, static_cast<std::uint64_t>(c.mode)), bits(c.p)), bits(c.v)), bits(c.a));
    axes_[a] = mixed(axes_[a], one);
    all = mixed(all, one);
  }
  for (const std::uint8_t on : switches) all = mixed(all, on);
  return static_cast<std::uint16_t>(all >> 48);
}

void OutputSums::restart() noexcept { std::ranges::fill(axes_, 0); }

}  // namespace gyrax
