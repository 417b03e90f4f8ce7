#include <gyrax/output/output.hpp>

#include <cassert>

namespace gyrax {
namespace {

std::size_t channels(std::span<const Wiring> wiring, std::size_t link) {
  std::size_t count = 0;
  for (const Wiring& wire : wiring)
    if (index(wire.link) == link && wire.channel >= count) count = wire.channel + std::size_t{1};
  return count;
}

}  // namespace

Output::Output(std::span<const LinkSetup> links, std::span<const Wiring> axes, std::span<const Drive> drives,
               std::span<const Wiring> switches)
    : axes_(axes.begin(), axes.end()),
      switches_(switches.begin(), switches.end()),
      drives_(drives.begin(), drives.end()),
      places_(links.size()),
      frames_(links.size()) {
  std::size_t words = 0, bits = 0;
  for (std::size_t link = 0; link < links.size(); ++link) {
    places_[link] = {words, bits};
    words += channels(axes_, link);
    bits += channels(switches_, link);
  }
  words_.resize(words);
  bits_.resize(bits);
  for (std::size_t link = 0; link < links.size(); ++link) {
    Frame& frame = frames_[link];
    frame.link = id_at<LinkId>(link);
    frame.valid_for = links[link].frame_valid_for;
    frame.axes = std::span(words_).subspan(places_[link].first_axis, channels(axes_, link));
    frame.switches = std::span(bits_).subspan(places_[link].first_switch, channels(switches_, link));
  }
}

std::span<const Frame> Output::frames(std::span<const AxisCommand> commands, std::span<const std::uint8_t> switches,
                                      Time now) noexcept {
  assert(commands.size() == axes_.size() && switches.size() == switches_.size());
  for (std::size_t i = 0; i < axes_.size(); ++i)
    words_[places_[index(axes_[i].link)].first_axis + axes_[i].channel] = word_of(drives_[i], commands[i]);
  for (std::size_t i = 0; i < switches_.size(); ++i)
    bits_[places_[index(switches_[i].link)].first_switch + switches_[i].channel] = switches[i];
  for (Frame& frame : frames_) {
    ++frame.sequence;
    frame.sent = frame.due = now;
  }
  return frames_;
}

}  // namespace gyrax
