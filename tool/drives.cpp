// What `gyrax links` says of drives: their registers are read once, and nothing is written.
#include "drives.hpp"

#include "commands.hpp"
#include "far_ends.hpp"
#include "onlookers.hpp"
#include "output.hpp"

#include <gyrax/files/json_text.hpp>
#include <gyrax/files/json_version.hpp>
#include <gyrax/link/modbus.hpp>
#include <gyrax/threads/boot_clock.hpp>

#include <fmt/format.h>
#include <poll.h>
#include <nlohmann/json.hpp>

namespace gyrax::tool {
namespace {

using Json = nlohmann::ordered_json;

/// Its axes and inputs, by the rig's names.
Json state_json(const Rig& rig, LinkId link, const RegistersHeard& heard) {
  const LinkInfo& info = rig.links[index(link)];
  const DriveState* const state = info.registers->state_of(heard.status);
  Json json{{"gyrax_json", json_version},
            {"link", info.name},
            {"wire", wire_place(info).words()},
            {"unit", static_cast<int>(info.number("unit"))},
            {"answers", heard.number > 0},
            {"took_ms", to_seconds(heard.took) * 1e3},
            {"state", state == nullptr ? "" : state->name},
            {"axes", Json::array()},
            {"inputs", Json::array()}};
  if (info.registers->heard(RegisterEntry::What::word) != nullptr) json["status"] = heard.status;
  if (heard.number == 0) return json;
  add_heard(json, rig, link, heard.axes, heard.inputs);
  return json;
}

void print_state(const Json& state) {
  const auto text = [](const Json& json, const char* key) { return json.at(key).get<std::string>(); };
  print("{}  drive at unit {}, {}\n", text(state, "link"), state.at("unit").get<int>(), text(state, "wire"));
  if (!state.at("answers").get<bool>()) {
    print("        nobody answers\n");
    return;
  }
  const std::string name = text(state, "state");
  print("        it answers after {:.1f} ms{}\n", state.at("took_ms").get<double>(),
        !state.contains("status") ? std::string()
                                  : fmt::format("; its status is {:#06x}, {}", state.at("status").get<int>(),
                                                name.empty() ? "which is none of its states" : "'" + name + "'"));
  print_heard(state);
}

}  // namespace

bool ask_drive(const Rig& rig, LinkId link, double wait_s, bool as_json) {
  const LinkInfo& info = rig.links[index(link)];
  if (const auto other = OtherProgram::of(info, false); other && !info.text("serial").empty()) {
    complain(fmt::format("link {}: process {} has {}, which one alone can ask", info.name, other->pid(),
                         wire_place(info).words()));
    return false;
  }
  ModbusLink drive(rig, link);
  const BootClock clock;
  while (drive.heard().number == 0 && to_seconds(clock.now() - Time{}) < wait_s) ::poll(nullptr, 0, 10);
  const RegistersHeard& heard = drive.heard();
  const Json state = state_json(rig, link, heard);
  if (as_json)
    put_json(dumped(state));
  else
    print_state(state);
  while (const auto words = drive.said())
    if (heard.number == 0) complain("link " + *words);
  return heard.number > 0;
}

}  // namespace gyrax::tool
