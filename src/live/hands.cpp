#include <gyrax/live/hands.hpp>

#include <sys/epoll.h>
#include <unistd.h>
#include <cerrno>
#include <cmath>
#include <system_error>

namespace gyrax {

bool PlayedHands::next(HandsetItem& item, Time now) noexcept {
  if (arrived_.empty()) arrived_ = player_.until(now);
  if (arrived_.empty()) return false;
  item.kind = HandsetItem::Kind::reading;
  item.reading = arrived_.front();
  arrived_ = arrived_.subspan(1);
  return true;
}

SeveralHands::SeveralHands(std::vector<Hands*> sources) : wake_(::epoll_create1(EPOLL_CLOEXEC)) {
  if (wake_ < 0) throw std::system_error(errno, std::generic_category(), "cannot wait for several sources of readings");
  for (Hands* const hands : sources) {
    sources_.push_back({hands, {}});
    epoll_event wanted{.events = EPOLLIN, .data = {}};
    if (hands->wake_descriptor() >= 0) ::epoll_ctl(wake_, EPOLL_CTL_ADD, hands->wake_descriptor(), &wanted);
  }
}

SeveralHands::~SeveralHands() { ::close(wake_); }

bool SeveralHands::next(HandsetItem& item, Time now) noexcept {
  Source* first = nullptr;
  for (Source& source : sources_) {
    if (HandsetItem next; !source.next && source.hands->next(next, now)) source.next = next;
    if (!source.next) continue;
    // What is no reading goes before those that follow it.
    const auto arrival = [](const Source& s) {
      return s.next->kind == HandsetItem::Kind::reading ? s.next->reading.arrival : Time{};
    };
    if (first == nullptr || arrival(source) < arrival(*first)) first = &source;
  }
  if (first == nullptr) return false;
  item = *first->next;
  first->next.reset();
  return true;
}

void SeveralHands::sign(HandsetId handset, Sign sign) noexcept {
  for (const Source& source : sources_) source.hands->sign(handset, sign);
}

void SeveralHands::grab_keypads(bool mine) noexcept {
  for (const Source& source : sources_) source.hands->grab_keypads(mine);
}

SupervisedHands::SupervisedHands(const Session& session, const Rig& rig, Hands& real)
    : rig_(rig), played_(session, rig), real_(real), numbers_(rig.handsets.size()) {
  for (std::size_t h = 0; h < rig.handsets.size(); ++h)
    for (const SessionHandset& one : session.handsets)
      if (one.name == rig.handsets[h]) of_session_ |= bit(id_at<HandsetId>(h));
  for (const ControlSetup& control : rig.setup.controls) ends_.push_back(control.calibration);
  last_words_.reserve(2 * rig.handsets.size());
}

bool SupervisedHands::next(HandsetItem& item, Time now) noexcept {
  while (told_ == last_words_.size() && real_.next(item, now)) {
    const HandsetId handset = item.kind == HandsetItem::Kind::calibrate ? rig_.setup.controls[index(item.slot)].handset
                                                                        : item.reading.handset;
    if (!has(of_session_, handset)) return true;
    if (item.kind == HandsetItem::Kind::calibrate) ends_[index(item.slot)] = item.calibration;
    if (item.kind == HandsetItem::Kind::reading && !stopped() && is_stop(item.reading)) stop(item.reading, now);
  }
  if (told_ < last_words_.size()) {
    item.kind = HandsetItem::Kind::reading;
    item.reading = last_words_[told_++];
    return true;
  }
  if (stopped() || !played_.next(item, now)) return false;
  const Reading& reading = item.reading;
  numbers_[index(reading.handset)] = reading.sequence;
  if (reading.control == ControlId::presence)
    there_ = reading.raw != 0 ? there_ | bit(reading.handset) : there_ & ~bit(reading.handset);
  return true;
}

/// Whether a reading of a real device is the press of a stop.
bool SupervisedHands::is_stop(const Reading& reading) const noexcept {
  for (const BindingSetup& b : rig_.setup.bindings) {
    if (!b.as<effect::Stop>()) continue;
    const ControlSetup& control = rig_.setup.controls[index(b.slot)];
    if (control.handset != reading.handset || control.control != reading.control) continue;
    const bool key = control.calibration.kind() == ControlKind::key;
    if (key ? reading.raw != 0 : std::abs(ends_[index(b.slot)].normalise(reading.raw)) >= control.press_at) return true;
  }
  return false;
}

/// The stop, on the handset that is played, and then the end of all that are.
void SupervisedHands::stop(const Reading& reading, Time now) noexcept {
  stopped_.store(true, std::memory_order_relaxed);
  for (const ControlSetup& control : rig_.setup.controls)
    if (control.handset == reading.handset && control.control == reading.control && has(there_, reading.handset))
      say(reading.handset, reading.control,
          control.calibration.kind() == ControlKind::key ? 1 : control.calibration.maximum(), now);
  for (std::size_t h = 0; h < rig_.handsets.size(); ++h)
    if (has(there_, id_at<HandsetId>(h))) say(id_at<HandsetId>(h), ControlId::presence, 0, now);
}

void SupervisedHands::say(HandsetId handset, ControlId control, std::int32_t raw, Time now) noexcept {
  if (last_words_.size() < last_words_.capacity())
    last_words_.push_back({handset, control, ++numbers_[index(handset)], now, now, raw});
}

}  // namespace gyrax
