#include <gyrax/link/controller.hpp>

#include <utility>

namespace gyrax {

LinkReport report_of(const ControllerHeard& heard, LinkId link, Time arrival) {
  return {.link = link,
          .sequence = heard.number,
          .measured = heard.measured,
          .arrival = arrival,
          .axes = heard.axes,
          .faults = heard.faults,
          .within = heard.within,
          .waits = heard.waits,
          .inputs = heard.inputs,
          .actions = heard.actions};
}

ControllerLink::ControllerLink(const Rig& rig, LinkId link)
    : link_(link), talk_(rig, link), port_(wire_place(rig.links[index(link)])) {}

void ControllerLink::receive(Time now, std::vector<LinkReport>& reports) {
  now_ = now;
  const int descriptor = port_.descriptor();
  if (descriptor != std::exchange(descriptor_, descriptor)) descriptor >= 0 ? talk_.opened(now) : talk_.closed();
  const auto came = port_.read(room_);
  passed_.keep(now, false, came);
  talk_.hear(now, came);
  if (talk_.reported()) reports.push_back(report_of(talk_.heard(), link_, now));
  words_.take_from(talk_);
}

void ControllerLink::send(const Frame& frame) {
  talk_.tell(frame);
  const auto bytes = talk_.next(now_);
  if (!bytes.empty() && port_.write(bytes)) passed_.keep(now_, true, bytes);
}

std::optional<std::string> ControllerLink::said() { return words_.next(port_, talk_.name()); }

}  // namespace gyrax
