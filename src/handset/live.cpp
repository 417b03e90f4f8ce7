#include "opener.hpp"

#include <gyrax/handset/live.hpp>

namespace gyrax {

struct LiveHandsets::Parts {
  Parts(Seats seats, const BootClock& of)
      : clock(of),
        recorder(clock),
        reader(clock, recorder, told),
        opener(std::move(seats), clock, reader, recorder, told) {}

  const BootClock clock;
  EventDescriptor told;
  Recorder recorder;
  NodeReader reader;
  Opener opener;
  SeenHandsets shown;  // the viewer's
};

LiveHandsets::LiveHandsets(Seats seats, const BootClock& clock)
    : parts_(std::make_unique<Parts>(std::move(seats), clock)) {}
LiveHandsets::~LiveHandsets() = default;

bool LiveHandsets::pop(HandsetItem& item) noexcept {
  parts_->opener.begin();
  return parts_->reader.next(item);
}
void LiveHandsets::sign(HandsetId handset, Sign sign) noexcept { parts_->opener.sign(handset, sign); }
void LiveHandsets::grab_keypads(bool mine) noexcept { parts_->opener.grab_keypads(mine); }
int LiveHandsets::wake_descriptor() const noexcept { return parts_->reader.descriptor(); }

const SeenHandsets& LiveHandsets::look() {
  const Opener::Published& published = parts_->opener.look();
  SeenHandsets& shown = parts_->shown;
  if (shown.at != published.seen.at) shown = published.seen;
  for (std::size_t seat = 0; seat < shown.seats.size(); ++seat)
    if (published.watched[seat]) published.watched[seat]->show(shown.seats[seat]);
  if (shown.recording) parts_->recorder.collect();
  return shown;
}

void LiveHandsets::start_recording() {
  parts_->recorder.start(parts_->clock.now());
  parts_->opener.wake();
}
std::pair<std::vector<SessionHandset>, Span> LiveHandsets::stop_recording() {
  parts_->opener.wake();
  return parts_->recorder.stop(parts_->clock.now());
}
Device LiveHandsets::device(std::size_t number) const { return parts_->opener.device(number); }

}  // namespace gyrax
