#include <gyrax/base/visit.hpp>
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
               std::span<const Wiring> switches, Recompute recompute)
    : recompute_(recompute),
      made_(axes.size()),
      drives_(drives.begin(), drives.end()),
      bit_of_(switches.size()),
      frames_(links.size()) {
  // A link's words stand one after the other, and so do its switches.
  std::size_t words = 0, bits = 0;
  std::vector<std::size_t> first_word(links.size()), first_bit(links.size());
  for (std::size_t link = 0; link < links.size(); ++link) {
    first_word[link] = words;
    first_bit[link] = bits;
    words += channels(axes, link);
    bits += channels(switches, link);
  }
  words_.resize(words);
  bits_.resize(bits);
  for (std::size_t i = 0; i < axes.size(); ++i)
    made_[i].word = static_cast<std::uint32_t>(first_word[index(axes[i].link)] + axes[i].channel);
  for (std::size_t i = 0; i < switches.size(); ++i)
    bit_of_[i] = static_cast<std::uint32_t>(first_bit[index(switches[i].link)] + switches[i].channel);
  for (std::size_t link = 0; link < links.size(); ++link) {
    Frame& frame = frames_[link];
    frame.link = id_at<LinkId>(link);
    frame.valid_for = links[link].frame_valid_for;
    frame.axes = std::span(words_).subspan(first_word[link], channels(axes, link));
    frame.switches = std::span(bits_).subspan(first_bit[link], channels(switches, link));
  }
}

void Output::place_zero(AxisId axis, Nano at) noexcept {
  made_[index(axis)].zero = at;
  stands_ = false;
}

std::span<const Frame> Output::frames(std::span<const AxisCommand> commands, std::span<const std::uint8_t> switches,
                                      Time now) noexcept {
  assert(commands.size() == made_.size() && switches.size() == bit_of_.size());
  for (std::size_t i = 0; i < made_.size(); ++i) {
    const AxisCommand& command = commands[i];
    Made& made = made_[i];
    if (made.mode == command.mode && made.p == command.p && made.v == command.v && stands_) continue;
    made = {command.mode, command.p, command.v, made.word, made.zero};
    visit_held(drives_[i], [&](const auto& kind) { words_[made.word] = kind.word(command); });
    words_[made.word].position -= made.zero;
  }
  stands_ = recompute_ == Recompute::changed;
  for (std::size_t i = 0; i < bit_of_.size(); ++i) bits_[bit_of_[i]] = switches[i];
  for (Frame& frame : frames_) {
    ++frame.sequence;
    frame.sent = frame.due = now;
  }
  return frames_;
}

}  // namespace gyrax
