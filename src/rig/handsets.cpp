// Handsets: how they report, which device they are, what was measured of it, which belong together.
#include "builder.hpp"
#include "wires.hpp"

#include <gyrax/files/text_file.hpp>
#include <gyrax/handset/calibration_file.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <filesystem>

namespace gyrax {
namespace {

bool is_device_id(const std::string& id) {
  const auto hex = [](char c) { return (c >= '0' && c <= '9') || (c >= 'a' && c <= 'f'); };
  return id.size() == 9 && id[4] == ':' && std::all_of(id.begin(), id.begin() + 4, hex) &&
         std::all_of(id.begin() + 5, id.end(), hex);
}

}  // namespace

void RigBuilder::read_handsets(Table& root) {
  for (auto& [name, table] : root.tables("handset")) {
    if (!add_name(table, handset_names_, name, "handset")) continue;
    read_handset(table, name);
    table.refuse_the_rest();
  }
}

/// A rig that describes no handset has one, a pad that is used as it is.
void RigBuilder::add_usual_handset() {
  if (!handset_names_.empty()) return;
  handset_names_["pad"] = 0;
  rig_.handsets.emplace_back("pad");
  rig_.setup.handsets.emplace_back();
  rig_.setup.stations.push_back(bit(HandsetId{0}));
  rig_.seats.emplace_back().handset = "pad";
}

void RigBuilder::read_handset(Table& table, const std::string& name) {
  HandsetSetup handset;
  const HandsetId id = id_at<HandsetId>(rig_.handsets.size());
  SeatWish seat;
  seat.handset = name;
  read_wire(table, seat);
  const std::string reports =
      table.choice("reports", {"on change", "steadily"}).value_or(seat.wire ? "steadily" : "on change");
  const auto silence = table.number("silence_ms", {0, 60'000, true, "ms"});
  if (reports == "steadily") {
    handset.max_silence = from_seconds(silence.value_or(100) / 1e3);
  } else if (silence) {
    table.problem(Code::bad_choice, "silence_ms", "a handset that reports on change may be silent for any time",
                  "leave it out, or reports = \"steadily\"");
  }
  if (const auto steady = table.number("max_steady_s", {0, 3600, false, "s"}))
    handset.max_steady = from_seconds(*steady);
  handset.max_age = from_seconds(table.number("max_age_ms", {0, 60'000, true, "ms"}, 100) / 1e3);
  if (auto controls = table.table("control")) {
    for (const std::string& control : controls->keys()) read_control(*controls, id, control);
  }
  if (auto made = table.table("virtual")) {
    for (const std::string& control : made->keys()) read_virtual(*made, id, control);
  }
  collect_lines(table, id);
  seat.signs = table.flag("signs").value_or(true);
  if (auto device = table.table("device")) {
    seat.id = device->text("id").value_or("");
    seat.name = device->text("name").value_or("");
    seat.unique = device->text("unique").value_or("");
    if (!seat.wire) seat.port = device->text("port").value_or("");
    if (seat.wire)
      table.problem(Code::one_effect, "device", "a handset on a wire is no device of this computer", "wire, or device");
    else if (!seat.names_a_device())
      device->missing("id", "an id, a name, a unique id or a port, as `gyrax handsets` tells them");
    if (!seat.id.empty() && !is_device_id(seat.id))
      device->problem(Code::wrong_type, "id", fmt::format("'{}' is no vendor and product", seat.id),
                      "such as \"1209:0001\", in small letters");
    device->refuse_the_rest();
  }
  rig_.setup.handsets.push_back(handset);
  read_calibration(table, id, seat);
  rig_.seats.push_back(std::move(seat));
  rig_.setup.stations.push_back(bit(id));
  rig_.handsets.push_back(name);
}

/// `wire = { serial = "/dev/…" }`: parts of one's own on a microcontroller.
void RigBuilder::read_wire(Table& table, SeatWish& seat) {
  auto wire = table.table("wire");
  if (!wire) return;
  WiredPlace place;
  place.wire.serial = wire->text("serial").value_or("");
  place.wire.tcp = wire->text("tcp").value_or("");
  place.wire.udp = wire->text("udp").value_or("");
  place.wire.baud = static_cast<int>(wire->number("baud", {9600, 2'000'000, false, ""}, 115'200));
  place.address = static_cast<std::uint8_t>(wire->number("address", {1, 254, false, ""}, 1));
  check_wire(*wire, place.wire);
  wire->refuse_the_rest();
  for (const SeatWish& other : rig_.seats)
    if (other.wire && other.port == place.words())
      table.problem(Code::duplicate_name, "wire",
                    fmt::format("{} is handset {}'s already", place.words(), other.handset), "a wire for each");
  for (const LinkInfo& link : rig_.links)
    if (!place.wire.serial.empty() && link.texts.contains("serial") && link.text("serial") == place.wire.serial)
      table.problem(Code::duplicate_name, "wire", fmt::format("{} is link {}'s already", place.words(), link.name),
                    "a wire of its own");
  seat.port = place.words();
  seat.wire = place;
}

/// `calibration = "pad.toml"`, or `{ file, any_device }`: what `gyrax calibrate` wrote.
void RigBuilder::read_calibration(Table& table, HandsetId handset, SeatWish& seat) {
  if (!table.has("calibration")) return;
  std::optional<std::string> file;
  bool any_device = false;
  if (table.is_text("calibration")) {
    file = table.text("calibration");
  } else if (auto own = table.table("calibration")) {
    file = own->text("file");
    if (!own->has("file")) own->missing("file", "the file that `gyrax calibrate` wrote");
    any_device = own->flag("any_device").value_or(false);
    own->refuse_the_rest();
  }
  if (!file) return;
  const std::string path = (std::filesystem::path(table.file()).parent_path() / *file).string();
  const Text text = reader_(path);
  if (text.error) {
    table.problem(Code::include, "calibration", text.why, "the file that `gyrax calibrate` wrote");
    return;
  }
  std::optional<DeviceCalibration> calibration;
  try {
    calibration = parse_calibration(text.text, path);
  } catch (const CalibrationError& error) {
    for (const Problem& p : error.problems())
      problems_.add(p.code, {p.file, p.line, p.column}, p.key, p.what, p.allowed, p.guess);
    return;
  }
  sources.push_back({path, text.text});
  seat.calibrated = {path,       calibration->id,    calibration->name,         calibration->unique,
                     any_device, calibration->habit, calibration->max_silence_s};
  // Between two readings of what trembles there was never more than that; ten times as much is no hand.
  constexpr double least_s = 1, often = 10;
  rig_.setup.handsets.back().max_tremble =
      from_seconds(calibration->max_silence_s > 0 ? std::max(least_s, often * calibration->max_silence_s) : 0);
  for (const MeasuredControl& one : calibration->controls) {
    seat.named[one.code] = one.name;
    wishes_[{index(handset), one.name}].measured = one;
  }
}

void RigBuilder::read_stations(Table& root) {
  add_usual_handset();
  Names names;
  for (auto& [name, table] : root.tables("station")) {
    if (!add_name(table, names, name, "station")) continue;
    HandsetBits together = 0;
    std::vector<HandsetId> members;
    for (const std::string& word : table.texts("handsets")) {
      const HandsetId handset = named<HandsetId>(table, "handsets", handset_names_, word, "handset");
      if (handset == no<HandsetId>) continue;
      if (std::popcount(rig_.setup.stations[index(handset)]) > 1)
        table.problem(Code::two_groups, "handsets", fmt::format("handset '{}' is in a station already", word),
                      "each in one");
      members.push_back(handset);
      together |= bit(handset);
    }
    if (members.size() < 2) table.missing("handsets", "the names of the handsets that are in charge together");
    for (const HandsetId member : members) rig_.setup.stations[index(member)] = together;
    table.refuse_the_rest();
    rig_.stations.push_back({name, together});
  }
}

}  // namespace gyrax
