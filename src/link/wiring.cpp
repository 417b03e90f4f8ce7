// The list of what hangs where.
#include <gyrax/link/board.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <iterator>

namespace gyrax {
namespace {

constexpr double q8 = 256;
using Cells = std::array<std::string, 8>;

double units(std::int64_t per_256) { return static_cast<double>(per_256) / q8; }

/// "8000 steps are 40 mm".
std::string unit_words(const Rig& rig, const LinkInfo& link, const BoardChannel& channel) {
  if (!is_output(channel.kind)) {
    const auto input = std::ranges::find(rig.inputs, channel.name, &InputInfo::name);
    return input->unit.empty() ? (input->inverted ? "on while open" : "on while closed")
                               : fmt::format("{:g} counts are {:g} {}", input->counts, input->is, input->unit);
  }
  const auto info = std::ranges::find(link.axis_channels, channel.number, &ChannelInfo::number);
  if (info == link.axis_channels.end()) return "on, off";
  const auto axis = std::ranges::find(rig.axes, channel.name, &AxisInfo::name);
  switch (channel.kind) {
    case wire::ChannelKind::stepper: return fmt::format("{:g} steps are {:g} {}", info->steps, info->per, axis->unit);
    case wire::ChannelKind::servo: return "µs of pulse";
    default: return "share of full power";
  }
}

Cells cells_of(const Rig& rig, const LinkInfo& link, const BoardChannel& channel) {
  const bool is_switch = channel.kind == wire::ChannelKind::on_off;
  const std::string unit = unit_of(channel.kind), space = unit.empty() ? "" : " ";
  const auto load = std::ranges::find(link.loads, channel.name, &Load::name);
  return {std::to_string(channel.number),
          channel.pin,
          name_of(channel.kind),
          channel.name,
          unit_words(rig, link, channel),
          is_switch || !is_output(channel.kind)
              ? ""
              : fmt::format("{:g} … {:g}{}{}, {:.5g}{}{}/s at most", units(channel.low), units(channel.high), space,
                            unit, units(channel.speed), space, unit),
          is_output(channel.kind) ? words_of(channel.kind, channel.becomes) : "",
          load == link.loads.end() ? "" : fmt::format("{:g} A, {:g} A", load->moving, load->standing)};
}

/// How many characters a terminal shows; a byte of UTF-8 that goes on with one is none.
std::size_t width_of(const std::string& text) {
  return static_cast<std::size_t>(
      std::ranges::count_if(text, [](char c) { return (static_cast<unsigned char>(c) & 0xc0) != 0x80; }));
}

std::string table_of(const std::vector<Cells>& rows) {
  std::array<std::size_t, 8> widths{};
  for (const Cells& row : rows)
    for (std::size_t c = 0; c < row.size(); ++c) widths[c] = std::max(widths[c], width_of(row[c]));
  std::string text;
  for (std::size_t r = 0; r < rows.size(); ++r) {
    for (std::size_t c = 0; c < widths.size(); ++c)
      text += "| " + rows[r][c] + std::string(widths[c] - width_of(rows[r][c]) + 1, ' ');
    text += "|\n";
    if (r > 0) continue;
    for (const std::size_t width : widths) text += "| " + std::string(width, '-') + " ";
    text += "|\n";
  }
  return text;
}

}  // namespace

std::string wiring_list(const Rig& rig) {
  std::string text;
  for (std::size_t l = 0; l < rig.links.size(); ++l) {
    const LinkInfo& link = rig.links[l];
    if (link.kind != "board") continue;
    const wire::Place place = wire_place(link);
    fmt::format_to(std::back_inserter(text), "{}# {}: board {} on {}{}\n\n", text.empty() ? "" : "\n", link.name,
                   link.number("address"), place.words(),
                   place.serial.empty() ? "" : fmt::format(", {} baud", place.baud));
    std::vector<Cells> rows{
        {"channel", "pin", "kind", "drives", "unit", "ends", "when it hears nothing", "takes, moving and standing"}};
    for (const BoardChannel& channel : board_setup(rig, id_at<LinkId>(l)).channels)
      rows.push_back(cells_of(rig, link, channel));
    text += table_of(rows);
    if (link.supply_a > 0) fmt::format_to(std::back_inserter(text), "\nIts supply gives {:g} A.\n", link.supply_a);
  }
  return text;
}

}  // namespace gyrax
