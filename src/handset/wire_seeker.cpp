#include "wire_seeker.hpp"

#include <fmt/format.h>

#include <random>

namespace gyrax {
namespace {

constexpr auto rest_after = std::chrono::milliseconds(500);
/// A board that is no handset may be somebody's machine: each greeting ends what it does.
constexpr auto rest_after_none = std::chrono::seconds(10);

}  // namespace

WireSeeker::WireSeeker(const std::vector<WiredPlace>& places, const BootClock& clock, EventDescriptor& told)
    : clock_(clock), told_(told) {
  for (const WiredPlace& place : places) wires_.push_back({.place = place, .found = {}, .trouble = {}});
  for (std::size_t which = 0; which < wires_.size(); ++which) threads_.emplace_back([this, which] { seek(which); });
}

WireSeeker::~WireSeeker() {
  {
    const std::lock_guard held(lock_);
    ending_ = true;
  }
  news_.notify_all();
  for (std::thread& thread : threads_) thread.join();
}

void WireSeeker::seek(std::size_t which) {
  std::random_device random;
  Wire& wire = wires_[which];
  for (std::unique_lock held(lock_);;) {
    news_.wait(held, [&] { return ending_ || wire.wanted; });
    if (!wire.soon) news_.wait_for(held, rest_after, [&] { return ending_; });
    if (ending_) return;
    held.unlock();
    auto node = std::make_shared<WireNode>(wire.place, clock_, random());
    bool settled = false;
    for (held.lock(); !settled && !ending_ && !node->is_none(); held.lock()) {
      held.unlock();
      settled = node->settle();
      const std::string trouble = node->trouble();
      const std::lock_guard again(lock_);
      // What was wrong is wrong until something else is, or it is found.
      if ((trouble.empty() && !settled) || trouble == wire.trouble) continue;
      wire.trouble = trouble;
      told_.set();
    }
    if (settled) {
      wire.found = std::move(node);
      wire.wanted = wire.soon = false;
      told_.set();
    } else if (!ending_) {
      held.unlock();
      node.reset();  // others may want the wire
      held.lock();
      news_.wait_for(held, rest_after_none, [&] { return ending_; });
    }
  }
}

std::optional<WireSeeker::Found> WireSeeker::take() {
  const std::lock_guard held(lock_);
  for (std::size_t which = 0; which < wires_.size(); ++which)
    if (wires_[which].found) return Found{which, std::move(wires_[which].found)};
  return std::nullopt;
}

void WireSeeker::again(std::size_t which) {
  {
    const std::lock_guard held(lock_);
    wires_[which].wanted = true;
  }
  news_.notify_all();
}

std::vector<std::string> WireSeeker::notes() {
  const std::lock_guard held(lock_);
  std::vector<std::string> all;
  for (const Wire& wire : wires_)
    if (!wire.trouble.empty()) all.push_back(fmt::format("{}: {}", wire.place.words(), wire.trouble));
  return all;
}

}  // namespace gyrax
