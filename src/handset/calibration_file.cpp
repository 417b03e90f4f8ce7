#include <gyrax/files/kind.hpp>
#include <gyrax/files/text_file.hpp>
#include <gyrax/handset/calibration_file.hpp>
#include <gyrax/handset/controls.hpp>
#include <gyrax/signal/calibration.hpp>

#include "../files/toml_reader.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>

namespace gyrax {
namespace {

constexpr Allowed raw{-Calibration::max_raw, Calibration::max_raw, false, ""};
constexpr Allowed share{0, 90, false, "%"};

void read_code(Table& table, MeasuredControl& m) {
  const auto word = table.text("code");
  if (!word) {
    if (!table.has("code")) table.missing("code", "the kernel's name of its code, as \"ABS_X\"");
  } else if (const auto code = code_named(*word)) {
    m.code = *code;
  } else {
    table.problem(Code::bad_choice, "code", fmt::format("the kernel has no code '{}'", *word),
                  "as \"ABS_X\", \"BTN_SOUTH\", \"KEY_KP4\"");
  }
}

/// The ends of a control that has some; those that it has go together.
void read_ends(Table& table, const ControlName* control, MeasuredControl& m) {
  const auto low = table.whole("minimum", raw), centre = table.whole("centre", raw), high = table.whole("maximum", raw);
  m.has_ends = low || centre || high;
  m.minimum = static_cast<std::int32_t>(low.value_or(0));
  m.centre = static_cast<std::int32_t>(centre.value_or(low.value_or(0)));
  m.maximum = static_cast<std::int32_t>(high.value_or(0));
  m.reversed = table.flag("reversed").value_or(false);
  const bool centred = control != nullptr && control->kind == ControlKind::centred;
  const bool takes_ends = centred || (control != nullptr && control->kind == ControlKind::one_sided);
  const bool fits =
      low && high && (centred ? centre && m.minimum < m.centre && m.centre < m.maximum : m.minimum < m.maximum);
  if (control != nullptr && m.has_ends && !(takes_ends && fits))
    table.problem(
        Code::calibration, "",
        takes_ends ? "minimum, centre and maximum do not go together" : fmt::format("'{}' has no ends", m.name),
        !takes_ends ? "leave them out"
        : centred   ? "all three, minimum < centre < maximum"
                    : "minimum < maximum");
}

std::optional<MeasuredControl> read_control(Table& table, const std::string& name) {
  MeasuredControl m;
  m.name = name;
  const ControlName* control = find_control(name);
  if (control == nullptr)
    table.problem(Code::unknown_control, "", fmt::format("there is no control '{}'", name),
                  "a control's name, in quotes here", nearest_control(name));
  read_code(table, m);
  read_ends(table, control, m);
  m.dead_zone = table.number("dead_zone", share, 0) / 100;
  m.hysteresis = table.number("hysteresis", share, 0) / 100;
  if (m.hysteresis > m.dead_zone)
    table.problem(Code::out_of_range, "hysteresis", "it is greater than the dead zone", "at most the dead zone");
  m.noise = static_cast<std::int32_t>(table.whole("noise", raw).value_or(0));
  m.trembles = table.flag("trembles").value_or(false);
  if (const auto at = table.whole("rests_from_below", raw)) m.rests_from_below = static_cast<std::int32_t>(*at);
  if (const auto at = table.whole("rests_from_above", raw)) m.rests_from_above = static_cast<std::int32_t>(*at);
  m.debounce_s = table.number("debounce_ms", {0, 100, false, "ms"}, 0) / 1e3;
  if (table.has("wrong")) m.wrong = table.texts("wrong");
  table.refuse_the_rest();
  return control == nullptr ? std::nullopt : std::optional(m);
}

void read_device(Table& device, DeviceCalibration& made) {
  for (const auto& [key, field] : {std::pair{"id", &made.id}, {"name", &made.name}}) {
    *field = device.text(key).value_or("");
    if (!device.has(key)) device.missing(key, "of the device that was measured, as `gyrax handsets` tells it");
  }
  made.unique = device.text("unique").value_or("");
  const std::string habit = device.choice("reports", {"unknown", "on change", "steadily"}).value_or("unknown");
  made.habit = habit == "steadily"    ? ReportHabit::steadily
               : habit == "on change" ? ReportHabit::on_change
                                      : ReportHabit::unknown;
  made.rate_hz = device.number("rate_hz", {0, 1e6, false, "Hz"}, 0);
  made.max_silence_s = device.number("max_silence_ms", {0, 1e9, false, "ms"}, 0) / 1e3;
  device.refuse_the_rest();
}

std::string quoted(const std::string& text) {
  std::string out = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') out += '\\';
    // A device may say what it likes of itself.
    if (static_cast<unsigned char>(c) < 0x20 || c == 0x7f) {
      out += fmt::format("\\u{:04x}", static_cast<unsigned>(c));
    } else {
      out += c;
    }
  }
  return out + "\"";
}

}  // namespace

const char* name_of(ReportHabit habit) noexcept {
  return habit == ReportHabit::on_change ? "on change" : habit == ReportHabit::steadily ? "steadily" : "unknown";
}

double round_dead_zone(const MeasuredControl& x, const MeasuredControl& y) {
  const auto needed = [](const MeasuredControl& m) { return m.dead_zone - m.hysteresis; };
  const double round = std::hypot(needed(x), needed(y)) + std::max(x.hysteresis, y.hysteresis);
  return std::min(0.9, std::ceil(round * 200 - 1e-9) / 200);
}

DeviceCalibration parse_calibration(std::string_view text, const std::string& file) {
  if (auto other = other_kind(text, file, FileKind::calibration)) throw CalibrationError({std::move(*other)});
  Problems problems;
  DeviceCalibration made;
  const auto document = Document::parse(std::string(text), file, problems);
  if (!document) throw CalibrationError(problems.take());
  Table root = document->root(problems);
  const auto version = root.whole("gyrax_calibration", {1, 1e6, false, "", true});
  if (!root.has("gyrax_calibration"))
    root.problem(Code::version_missing, "", "this is no calibration",
                 fmt::format("a first line 'gyrax_calibration = {}'", calibration_version));
  if (version && *version > calibration_version)
    root.problem(Code::version_newer, "gyrax_calibration", fmt::format("this calibration is of version {}", *version),
                 fmt::format("this program reads versions up to {}; take a newer one", calibration_version));
  if (auto device = root.table("device")) {
    read_device(*device, made);
  } else if (!root.has("device")) {
    root.missing("device", "a table [device] with id and name");
  }
  if (auto controls = root.table("control")) {
    for (const std::string& name : controls->keys()) {
      auto table = controls->table(name.c_str());
      if (!table) continue;
      if (auto control = read_control(*table, name)) made.controls.push_back(*control);
    }
  }
  root.refuse_the_rest();
  // As they are measured and written: what has ends first, each kind by its code.
  std::stable_sort(made.controls.begin(), made.controls.end(), [](const MeasuredControl& a, const MeasuredControl& b) {
    return std::pair(a.code.first < b.code.first, a.code.second) <
           std::pair(b.code.first < a.code.first, b.code.second);
  });
  if (problems.any()) throw CalibrationError(problems.take());
  return made;
}

DeviceCalibration load_calibration(const std::string& path) {
  const Text read = read_text(path, max_calibration);
  if (read.error) throw CalibrationError({unreadable(path, read.why)}, read.error);
  return parse_calibration(read.text, path);
}

std::string write_calibration(const DeviceCalibration& c) {
  std::string text;
  const auto out = std::back_inserter(text);
  fmt::format_to(out, "gyrax_calibration = {}\n\n", calibration_version);
  fmt::format_to(
      out,
      "# Measured by `gyrax calibrate`. Minimum, centre, maximum, noise and rests are the device's own numbers;\n");
  fmt::format_to(out, "# dead zone and hysteresis are percent of full deflection, proposed from them.\n\n");
  fmt::format_to(
      out, "[device]\nid = {}\nname = {}\nunique = {}\nreports = \"{}\"\nrate_hz = {:.0f}\nmax_silence_ms = {:.0f}\n",
      quoted(c.id), quoted(c.name), quoted(c.unique), name_of(c.habit), c.rate_hz, c.max_silence_s * 1e3);
  for (const MeasuredControl& m : c.controls) {
    const ControlName* control = find_control(m.name);
    ControlName code;
    code.type = m.code.first;
    code.code = m.code.second;
    fmt::format_to(out, "\n[control.\"{}\"]\ncode = \"{}\"\n", m.name, kernel_code(code));
    if (m.has_ends) {
      fmt::format_to(out, "minimum = {}\n", m.minimum);
      if (control != nullptr && control->kind == ControlKind::centred) fmt::format_to(out, "centre = {}\n", m.centre);
      fmt::format_to(out, "maximum = {}\nreversed = {}\ndead_zone = {:g}\nhysteresis = {:g}\nnoise = {}\n", m.maximum,
                     m.reversed, m.dead_zone * 100, m.hysteresis * 100, m.noise);
      if (m.trembles) fmt::format_to(out, "trembles = true\n");
      if (m.rests_from_below) fmt::format_to(out, "rests_from_below = {}\n", *m.rests_from_below);
      if (m.rests_from_above) fmt::format_to(out, "rests_from_above = {}\n", *m.rests_from_above);
    }
    if (m.debounce_s > 0) fmt::format_to(out, "debounce_ms = {:g}\n", m.debounce_s * 1e3);
    if (m.wrong.empty()) continue;
    fmt::format_to(out, "wrong = [");
    for (std::size_t i = 0; i < m.wrong.size(); ++i)
      fmt::format_to(out, "{}{}", i == 0 ? "" : ", ", quoted(m.wrong[i]));
    fmt::format_to(out, "]\n");
  }
  return text;
}

std::error_code save_calibration(const std::string& path, const DeviceCalibration& calibration) {
  return write_text(path, write_calibration(calibration));
}

}  // namespace gyrax
