#include <gyrax/link/board_bus.hpp>

namespace gyrax {
namespace {

/// A stop to all is not answered: it has to get through by itself.
constexpr int times_told = 3;

}  // namespace

void BoardBus::hear(Time now) noexcept {
  if (open_ && (talks_[last_]->counts().heard != heard_then_ || now >= until_)) open_ = false;
}

void BoardBus::stop(std::uint8_t category) noexcept {
  category_ = category;
  stops_ = times_told;
  for (BoardTalk* talk : talks_) talk->greet_anew();
}

BoardBus::Next BoardBus::next(Time now) {
  if (open_) return {};
  if (stops_ > 0) {
    --stops_;
    wire::Writer out;
    out.u8(category_);
    const std::size_t size = wire::pack({wire::Kind::stop, wire::all_boards, ++sequence_, 0, out.payload()}, bytes_);
    open_ = true;
    heard_then_ = talks_[last_]->counts().heard;
    until_ = now + (bytes_per_s_ > 0 ? from_seconds(static_cast<double>(size) / bytes_per_s_) : Span{});
    return {last_, std::span(bytes_).first(size)};
  }
  for (std::size_t i = 1; i <= talks_.size(); ++i) {
    const std::size_t board = (last_ + i) % talks_.size();
    const auto bytes = talks_[board]->next(now);
    if (bytes.empty()) continue;
    last_ = board;
    open_ = true;
    heard_then_ = talks_[board]->counts().heard;
    // The longest answer there is, where it does not come: a frame that a wire carries in 10 ms.
    const double answer = static_cast<double>(bytes.size() + wire::longest_frame(bytes_per_s_));
    until_ = now + from_seconds(wire::longest_turnaround_s) +
             (bytes_per_s_ > 0 ? from_seconds(answer / bytes_per_s_) : Span{});
    return {board, bytes};
  }
  return {};
}

}  // namespace gyrax
