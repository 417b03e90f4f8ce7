#include "far_ends.hpp"

#include "output.hpp"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace gyrax::tool {
namespace {

using Json = nlohmann::ordered_json;

}  // namespace

void add_heard(Json& json, const Rig& rig, LinkId link, std::span<const AxisReport> axes,
               std::span<const InputReport> inputs) {
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const Wiring& wiring = rig.setup.axes[a].wiring;
    if (wiring.link != link || !axes[wiring.channel].measured) continue;
    json["axes"].push_back({{"axis", rig.axes[a].name},
                            {"unit", rig.axes[a].unit},
                            {"position", axes[wiring.channel].position},
                            {"speed", axes[wiring.channel].speed}});
  }
  for (const InputReport& input : inputs)
    json["inputs"].push_back({{"input", rig.inputs[index(input.input)].name},
                              {"unit", rig.inputs[index(input.input)].unit},
                              {"value", input.value}});
}

void print_heard(const Json& state) {
  const auto text = [](const Json& json, const char* key) { return json.at(key).get<std::string>(); };
  for (const Json& axis : state.at("axes"))
    print("        {:<12} at {:.3f} {}, {:.2f} {}/s\n", text(axis, "axis"), axis.at("position").get<double>(),
          text(axis, "unit"), axis.at("speed").get<double>(), text(axis, "unit"));
  for (const Json& input : state.at("inputs")) {
    const double value = input.at("value").get<double>();
    print("        {:<12} {}\n", text(input, "input"),
          text(input, "unit").empty() ? std::string(value != 0 ? "on" : "off")
                                      : fmt::format("{:g} {}", value, text(input, "unit")));
  }
}

}  // namespace gyrax::tool
