#include "wires.hpp"

#include <algorithm>
#include <limits>

namespace gyrax {

Wires::Wires(const Rig& rig, std::uint64_t seed) : machines_(rig), wires_(rig.links.size()), random_(seed) {}

void Wires::spoil(LinkId link, Spoils how, Span delay, double share) { wires_[index(link)] = {how, delay, share}; }

void Wires::keep(const LinkReport& report, Span later) {
  Kept one{report, {report.axes.begin(), report.axes.end()}, {report.inputs.begin(), report.inputs.end()}};
  one.report.arrival += later;
  kept_.push_back(std::move(one));
}

void Wires::advance(Time now) {
  for (const LinkReport& report : machines_.reports(now)) {
    const Wire& wire = wires_[index(report.link)];
    switch (wire.spoils) {
      case Spoils::loses:
        if (!random_.chance(wire.share)) keep(report, {});
        break;
      case Spoils::delays: keep(report, wire.delay); break;
      case Spoils::duplicates:
        keep(report, {});
        keep(report, {});
        break;
      case Spoils::misnames: {
        LinkReport other = report;
        other.link = id_at<LinkId>(wires_.size() > 1 ? (index(report.link) + 1) % wires_.size() : wires_.size());
        keep(other, {});
        break;
      }
      case Spoils::garbles:
        keep(report, {});
        for (AxisReport& axis : kept_.back().axes) axis = {true, std::numeric_limits<double>::quiet_NaN(), 0};
        break;
      case Spoils::complains:
        keep(report, {});
        kept_.back().report.faults = 1;
        break;
      default: keep(report, {});
    }
  }
}

std::span<const LinkReport> Wires::take(Time now) {
  const auto has_come = [&](const Kept& one) { return one.report.arrival <= now; };
  given_.clear();
  for (Kept& one : kept_)
    if (has_come(one)) given_.push_back(one);
  // The later one goes first, as soon as there are two; until then the first one waits.
  for (std::size_t l = 0; l < wires_.size(); ++l) {
    if (wires_[l].spoils != Spoils::reorders) continue;
    std::vector<std::size_t> of_it;
    for (std::size_t i = 0; i < given_.size(); ++i)
      if (index(given_[i].report.link) == l) of_it.push_back(i);
    for (std::size_t i = 0; i + 1 < of_it.size(); i += 2) std::swap(given_[of_it[i]], given_[of_it[i + 1]]);
    if (of_it.size() == 1) given_.erase(given_.begin() + static_cast<std::ptrdiff_t>(of_it.front()));
  }
  std::erase_if(kept_, [&](const Kept& one) {
    return has_come(one) && std::ranges::any_of(given_, [&](const Kept& given) {
             return given.report.link == one.report.link && given.report.sequence == one.report.sequence;
           });
  });
  taken_.clear();
  for (Kept& one : given_) {
    one.report.axes = one.axes;
    one.report.inputs = one.inputs;
    taken_.push_back(one.report);
  }
  return taken_;
}

void Wires::send(std::span<const Frame> frames) {
  for (const Frame& frame : frames) {
    const Wire& wire = wires_[index(frame.link)];
    if (wire.spoils == Spoils::loses && random_.chance(wire.share)) continue;
    machines_.send({&frame, 1});
  }
}

}  // namespace gyrax
