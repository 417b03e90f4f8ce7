// calibrate: measures a device, live with a person who is told what to do, or on a recording of the same.
#include "commands.hpp"
#include "output.hpp"

#include <gyrax/handset/controls.hpp>
#include <gyrax/handset/measure.hpp>
#include <gyrax/handset/reading_thread.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <poll.h>
#include <unistd.h>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <map>
#include <optional>

namespace gyrax::tool {
namespace {

constexpr int look_ms = 50;
constexpr double still_s = 3, patience_s = 60;

using CodeNames = std::map<std::pair<std::uint16_t, std::uint16_t>, std::string>;

/// "ABS_Z=stick.right.x"; tells what is wrong with one.
std::optional<CodeNames> names_of(const std::vector<std::string>& words) {
  CodeNames names;
  for (const std::string& word : words) {
    const std::size_t sign = word.find('=');
    const auto code = code_named(word.substr(0, sign));
    const std::string name = sign == std::string::npos ? "" : word.substr(sign + 1);
    if (!code || find_control(name) == nullptr) {
      const std::string guess = nearest_control(name);
      complain(fmt::format("--name {}: {}", word,
                           !code ? std::string("a code of the kernel and a control are wanted, as ABS_Z=stick.right.x")
                                 : fmt::format("there is no control '{}'{}", name,
                                               guess.empty() ? "" : fmt::format("; did you mean '{}'?", guess))));
      return std::nullopt;
    }
    names[*code] = name;
  }
  return names;
}

/// Waits for Enter or a while. False: end of input or a signal.
class Guide {
 public:
  explicit Guide(LiveHandsets& handsets, const CalibrateOptions& options)
      : handsets_(handsets),
        wanted_(options.device),
        wire_(options.wire.empty() ? "" : wired_place(options.wire)->words()) {}

  const SeenHandset* find() {
    for (const SeenHandset& seen : handsets_.look().seats)
      if (seen.present && (wanted_.empty() || id_of(seen.device) == wanted_) &&
          (wire_.empty() || seen.device.port == wire_))
        return &seen;
    return nullptr;
  }

  /// Shows what moves until Enter is pressed, or so many seconds are over. False where the device went away.
  bool step(const char* what, double seconds, bool ends_by_itself) {
    print("{}{}\n", what, ends_by_itself ? "" : "  (Enter: go on)");
    std::string told;
    for (long left_ms = std::lround(seconds * 1e3); left_ms > 0; left_ms -= look_ms) {
      pollfd wait{STDIN_FILENO, POLLIN, 0};
      if (!ends_by_itself && ::poll(&wait, 1, look_ms) > 0) {
        char text[256];
        if (::read(STDIN_FILENO, text, sizeof text) >= 0) return true;
      } else if (ends_by_itself) {
        ::poll(nullptr, 0, look_ms);
      }
      const SeenHandset* seen = find();
      if (seen == nullptr) return false;
      for (const SeenControl& control : seen->controls) {
        if (!control.known || last_[control.control] == control.raw) continue;
        last_[control.control] = control.raw;
        told = fmt::format("{} {}", control_name(control.control), control.raw);
      }
      if (::isatty(STDOUT_FILENO) != 0) {
        put_over(fmt::format("  {:<40}", told));
      }
    }
    return true;
  }

 private:
  LiveHandsets& handsets_;
  ReadingThread reading_{handsets_};  // what moves is looked at; the readings themselves are not needed
  std::string wanted_, wire_;
  std::map<ControlId, std::int32_t> last_;
};

struct Taken {
  Track track;
  double length_s = 0;
};

std::optional<Taken> take_live(const CalibrateOptions& options) {
  const BootClock clock;
  std::vector<WiredPlace> wires;
  if (!options.wire.empty()) wires.push_back(*wired_place(options.wire));
  LiveHandsets handsets(Seats::open(wires), clock);
  Guide guide(handsets, options);
  const SeenHandset* seen = guide.find();
  for (int i = 0; i < 40 && seen == nullptr; ++i) {
    ::poll(nullptr, 0, look_ms);
    seen = guide.find();
  }
  if (seen == nullptr) {
    for (const std::string& note : handsets.look().notes) remark(note);
    complain(!options.wire.empty() ? fmt::format("no handset answers on {}", wired_place(options.wire)->words())
             : options.device.empty()
                 ? std::string("no handset is plugged in; `gyrax handsets` has advice")
                 : fmt::format("no handset {} is plugged in; `gyrax handsets` lists them", options.device));
    return std::nullopt;
  }
  std::size_t others = 0;
  for (const SeenHandset& one : handsets.look().seats) others += one.present ? 1 : 0;
  if (others > 1 && options.device.empty() && options.wire.empty()) {
    complain("several handsets are plugged in: say which, with --device VENDOR:PRODUCT as `gyrax handsets` tells it");
    return std::nullopt;
  }
  const std::string name = seen->name;
  print("Measuring {} ({})\n\n", seen->device.name, id_of(seen->device));
  handsets.start_recording();
  const double patience = options.step_s > 0 ? options.step_s : patience_s;
  const bool by_itself = options.step_s > 0;
  const bool whole = guide.step("1. Leave it alone.", still_s, true) &&
                     guide.step(
                         "\n2. Move every stick, trigger and knob to all its ends and let it come back from each, "
                         "twice, not in haste:\n"
                         "   a stick first to the right and first away from you, a throttle first up.",
                         patience, by_itself) &&
                     guide.step("\n3. Press every key, one after the other, and let it go.", patience, by_itself);
  auto [recorded, length] = handsets.stop_recording();
  if (!whole) {
    complain("the handset went away; nothing is written");
    return std::nullopt;
  }
  print("\n\n");
  for (SessionHandset& one : recorded)
    if (one.name == name) return Taken{std::move(one.track), to_seconds(length)};
  complain("nothing was recorded");
  return std::nullopt;
}

}  // namespace

int calibrate(const CalibrateOptions& options) {
  const auto names = names_of(options.names);
  if (!names) return wrong_input;
  if (!may_write(options.out, options.replace, {options.track})) return wrong_input;
  try {
    std::optional<Taken> taken;
    if (options.track.empty()) {
      taken = take_live(options);
      if (!taken) return world_failed;
    } else {
      taken = Taken{read_track(options.track), 0};
    }
    taken->track.device.named = *names;
    const DeviceCalibration calibration = measure(taken->track, taken->length_s);
    options.json ? put_json(measured_json(calibration)) : put(measured_text(calibration));
    if (options.out.empty()) {
      if (!options.json)
        print("\nNothing is written. --out pad.toml writes it; a rig takes it with: calibration = \"pad.toml\"\n");
      return Exit::done;
    }
    if (const int failed = save_text(options.out, write_calibration(calibration)); failed != Exit::done) return failed;
    if (!options.json)
      print("\nWritten to {}. In the rig, for this handset: calibration = \"{}\"\n", options.out,
            std::filesystem::path(options.out).filename().string());
    return Exit::done;
  } catch (const FileError& error) {
    return tell(error, wrong_input);
  }
}

}  // namespace gyrax::tool
