#include <gyrax/live/hands.hpp>

namespace gyrax {

bool PlayedHands::next(HandsetItem& item, Time now) noexcept {
  if (arrived_.empty()) arrived_ = player_.until(now);
  if (arrived_.empty()) return false;
  item.kind = HandsetItem::Kind::reading;
  item.reading = arrived_.front();
  arrived_ = arrived_.subspan(1);
  return true;
}

}  // namespace gyrax
