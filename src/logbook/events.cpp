#include "scan.hpp"

#include <gyrax/logbook/reader.hpp>
#include <gyrax/rig/words.hpp>

#include <fmt/format.h>

namespace gyrax {
namespace {

/// The one of `count` whose name it is.
template <class Enum, class Name>
Enum named(std::string_view word, std::size_t count, Name name) {
  for (std::size_t i = 0; i < count; ++i)
    if (word == name(static_cast<Enum>(i))) return static_cast<Enum>(i);
  throw Wrong{fmt::format("'{}' is not known", word)};
}

/// -1: none of them.
template <class Id>
Id id_in(Scan& scan, std::size_t count) {
  scan.want(',');
  const std::int64_t number = scan.whole(-1, static_cast<std::int64_t>(count) - 1);
  return number < 0 ? no<Id> : id_at<Id>(static_cast<std::size_t>(number));
}

Event read_event(Scan& scan, const Rig& rig, Time at) {
  Event e;
  e.at = at;
  scan.want('[');
  e.kind = named<Event::Kind>(scan.word(), Event::kinds, [](Event::Kind kind) { return name_of(kind); });
  e.zone = id_in<ZoneId>(scan, rig.zones.size());
  scan.want(',');
  e.state = named<State>(scan.word(), 5, [](State state) { return name_of(state); });
  scan.want(',');
  e.cause = named<Cause>(scan.word(), cause_count, [](Cause cause) { return about(cause).name; });
  scan.want(',');
  e.obstacle.what = named<Interlock>(scan.word(), interlock_count, [](Interlock what) { return about(what).name; });
  e.obstacle.handset = id_in<HandsetId>(scan, rig.handsets.size());
  e.obstacle.slot = id_in<SlotId>(scan, rig.setup.controls.size());
  e.obstacle.link = id_in<LinkId>(scan, rig.links.size());
  e.axis = id_in<AxisId>(scan, rig.axes.size());
  e.target = id_in<SwitchId>(scan, rig.switches.size());
  scan.want(',');
  e.number = scan.whole(std::numeric_limits<std::int64_t>::min(), std::numeric_limits<std::int64_t>::max());
  if (scan.take(']')) return e;
  e.which = id_in<NumberId>(scan, rig.numbers.size());
  e.layer = id_in<LayerId>(scan, rig.setup.layers.size());
  e.by = id_in<SlotId>(scan, rig.setup.controls.size());
  e.obstacle.target = id_in<SwitchId>(scan, rig.switches.size());
  if (scan.take(']')) return e;
  e.obstacle.input = id_in<InputId>(scan, rig.inputs.size());
  scan.want(']');
  return e;
}

}  // namespace

void read_events(const Rig& rig, Time at, std::string_view events, std::vector<Event>& out) {
  const std::size_t before = out.size();
  try {
    Scan scan(events);
    if (scan.take(",\"e\":[")) scan.each([&] { out.push_back(read_event(scan, rig, at)); });
  } catch (const Wrong&) {
    out.resize(before);
  }
}

}  // namespace gyrax
