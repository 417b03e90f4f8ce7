#include <gyrax/files/kind.hpp>
#include <gyrax/files/text_file.hpp>
#include <gyrax/handset/track.hpp>

#include <fmt/format.h>
#include <linux/input-event-codes.h>

#include <charconv>
#include <iterator>

namespace gyrax {
namespace {

constexpr std::size_t problems_told = 20;

std::string_view trimmed(std::string_view text) {
  while (!text.empty() && (text.front() == ' ' || text.front() == '\t')) text.remove_prefix(1);
  while (!text.empty() && (text.back() == ' ' || text.back() == '\t' || text.back() == '\r')) text.remove_suffix(1);
  return text;
}

/// Takes whole numbers from the front of a line, one after the other.
class Numbers {
 public:
  explicit Numbers(std::string_view text) : text_(text) {}

  template <class Value>
  bool take(Value& value, int base) {
    text_ = trimmed(text_);
    const auto [end, error] = std::from_chars(text_.data(), text_.data() + text_.size(), value, base);
    if (error != std::errc{}) return false;
    text_.remove_prefix(static_cast<std::size_t>(end - text_.data()));
    return true;
  }
  bool take(char c) {
    if (text_.empty() || text_.front() != c) return false;
    text_.remove_prefix(1);
    return true;
  }
  bool done() { return trimmed(text_).empty(); }

 private:
  std::string_view text_;
};

class Parser {
 public:
  explicit Parser(std::string file) : file_(std::move(file)) {}

  Track parse(std::string_view text) {
    reserve(text);
    while (!text.empty()) {
      const std::size_t end = text.find('\n');
      ++line_;
      read_line(text.substr(0, end), end == std::string_view::npos);
      text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
      if (problems_.size() >= problems_told) break;
    }
    if (track_.device.name.empty() && problems_.empty())
      tell(Code::device, "the track has no device name", "a line 'N: name' before the events");
    if (!problems_.empty()) throw SessionError(std::move(problems_));
    return std::move(track_);
  }

 private:
  /// Growing would take as much again while it copies.
  void reserve(std::string_view text) {
    constexpr std::size_t shortest = 12;  // "E:0.0 0 0 0" and its end
    std::size_t events = 1;               // the first may stand at the text's start
    for (std::size_t at = text.find("\nE:"); at != std::string_view::npos; at = text.find("\nE:", at + shortest))
      ++events;
    track_.events.reserve(events);
    track_.lines.reserve(events);
  }

  void tell(Code code, std::string what, std::string allowed) {
    problems_.push_back({code, file_, line_, 1, "", std::move(what), std::move(allowed), ""});
  }

  void read_line(std::string_view line, bool cut) {
    line = line.substr(0, line.starts_with("N:") ? std::string_view::npos : line.find('#'));
    line = trimmed(line);
    if (line.empty()) return;
    const std::string_view rest = line.size() > 2 ? line.substr(2) : std::string_view{};
    if (line.size() < 2 || line[1] != ':')
      return bad(line, cut, "a line that starts with N: I: P: B: A: L: S: E: or #");
    switch (line[0]) {
      case 'N': track_.device.name = trimmed(rest); return;
      case 'I': return identity(rest, line, cut);
      case 'P': return properties(rest, line, cut);
      case 'B': return bits(rest, line, cut);
      case 'A': return absolute(rest, line, cut);
      case 'L':
      case 'S': return state(rest, line, cut);
      case 'E': return event(rest, line, cut);
      default: return bad(line, cut, "a line that starts with N: I: P: B: A: L: S: E: or #");
    }
  }

  void bad(std::string_view line, bool cut, const char* form) {
    const std::string shown(line.substr(0, 60));
    tell(Code::syntax,
         cut ? fmt::format("the file ends in the middle of a line: '{}'", shown)
             : fmt::format("cannot read '{}'", shown),
         form);
  }

  void identity(std::string_view rest, std::string_view line, bool cut) {
    Numbers n(rest);
    Device& d = track_.device;
    if (!(n.take(d.bus, 16) && n.take(d.vendor, 16) && n.take(d.product, 16) && n.take(d.version, 16) && n.done()))
      bad(line, cut, "'I: bus vendor product version', four hexadecimal numbers");
  }

  void properties(std::string_view rest, std::string_view line, bool cut) {
    if (!mask(rest, property_bits_, track_.device.properties)) bad(line, cut, "'P: ' and bytes in hexadecimal");
  }

  void bits(std::string_view rest, std::string_view line, bool cut) {
    Numbers n(rest);
    std::uint16_t type = 0;
    if (!n.take(type, 16) || type >= EV_CNT) return bad(line, cut, "'B: type' and bytes in hexadecimal");
    const std::size_t space = trimmed(rest).find(' ');
    std::set<std::uint16_t> set;
    std::size_t& next = type_bits_[type];
    if (space == std::string_view::npos || !mask(trimmed(rest).substr(space), next, set))
      return bad(line, cut, "'B: type' and bytes in hexadecimal");
    auto& into = type == EV_KEY   ? track_.device.keys
                 : type == EV_REL ? track_.device.relative
                                  : track_.device.other[type];
    into.insert(set.begin(), set.end());
  }

  /// Bytes in hexadecimal, lowest bits first; a further line of the same kind goes on where the last one ended.
  static bool mask(std::string_view rest, std::size_t& next, std::set<std::uint16_t>& into) {
    Numbers n(rest);
    while (!n.done()) {
      std::uint8_t byte = 0;
      if (!n.take(byte, 16) || next > KEY_MAX) return false;
      for (unsigned bit = 0; bit < 8; ++bit)
        if ((byte >> bit & 1u) != 0) into.insert(static_cast<std::uint16_t>(next + bit));
      next += 8;
    }
    return true;
  }

  void absolute(std::string_view rest, std::string_view line, bool cut) {
    Numbers n(rest);
    std::uint16_t code = 0;
    AbsoluteRange r;
    bool good =
        n.take(code, 16) && n.take(r.minimum, 10) && n.take(r.maximum, 10) && n.take(r.fuzz, 10) && n.take(r.flat, 10);
    // The resolution came with version 1.1.
    if (good && !n.done()) good = n.take(r.resolution, 10) && n.done();
    if (!good || code >= ABS_CNT) return bad(line, cut, "'A: code minimum maximum fuzz flat resolution'");
    track_.device.absolute[code] = r;
  }

  void state(std::string_view rest, std::string_view line, bool cut) {
    Numbers n(rest);
    std::uint16_t code = 0;
    int value = 0;
    if (!(n.take(code, 16) && n.take(value, 10) && n.done())) bad(line, cut, "'L: code value' or 'S: code value'");
  }

  void event(std::string_view rest, std::string_view line, bool cut) {
    Numbers n(rest);
    std::int64_t s = 0;
    std::uint32_t us = 0;
    InputEvent e;
    const bool good = n.take(s, 10) && n.take('.') && n.take(us, 10) && n.take(e.type, 16) && n.take(e.code, 16) &&
                      n.take(e.value, 10) && n.done();
    // Cut off anywhere, the last line may still look whole: an event counts with its line's end only.
    if (!good || cut || us >= 1'000'000 || s < 0 || s > 1'000'000'000'000)
      return bad(line, cut, "'E: seconds.microseconds type code value', and the line's end");
    e.time_us = s * 1'000'000 + us;
    if (!track_.events.empty() && e.time_us < track_.events.back().time_us)
      return tell(Code::event, "the event is earlier than the one before it", "times that do not go backwards");
    track_.events.push_back(e);
    track_.lines.push_back(line_);
  }

  std::string file_;
  Track track_;
  std::vector<Problem> problems_;
  std::size_t property_bits_ = 0;
  std::size_t type_bits_[EV_CNT] = {};
  int line_ = 0;
};

void write_mask(std::string& out, const char* start, const std::set<std::uint16_t>& codes, std::size_t bytes) {
  for (std::size_t i = 0; i < bytes; ++i) {
    unsigned byte = 0;
    for (unsigned bit = 0; bit < 8; ++bit)
      if (codes.contains(static_cast<std::uint16_t>(8 * i + bit))) byte |= 1u << bit;
    if (i % 8 == 0) out += fmt::format("{}{}", i == 0 ? "" : "\n", start);
    out += fmt::format(" {:02x}", byte);
  }
  out += '\n';
}

}  // namespace

Track parse_track(std::string_view text, const std::string& file) {
  if (auto other = other_kind(text, file, FileKind::track)) throw SessionError({std::move(*other)});
  return Parser(file).parse(text);
}

Track read_track(const std::string& path) {
  const Text read = read_text(path, max_track);
  if (read.error) throw SessionError({unreadable(path, read.why)}, read.error);
  return parse_track(read.text, path);
}

std::string write_track(const Track& track) {
  const Device& d = track.device;
  std::string out = "# EVEMU 1.3\n";
  out += fmt::format("N: {}\nI: {:04x} {:04x} {:04x} {:04x}\n", d.name, d.bus, d.vendor, d.product, d.version);
  write_mask(out, "P:", d.properties, 8);
  std::set<std::uint16_t> absolute;
  for (const auto& [code, range] : d.absolute) absolute.insert(code);
  write_mask(out, "B: 00", {EV_SYN, EV_KEY, EV_REL, EV_ABS}, 8);
  write_mask(out, "B: 01", d.keys, 96);
  write_mask(out, "B: 02", d.relative, 8);
  write_mask(out, "B: 03", absolute, 8);
  for (const auto& [code, r] : d.absolute)
    out += fmt::format("A: {:02x} {} {} {} {} {}\n", code, r.minimum, r.maximum, r.fuzz, r.flat, r.resolution);
  for (const InputEvent& e : track.events)
    fmt::format_to(std::back_inserter(out), "E: {}.{:06} {:04x} {:04x} {}\n", e.time_us / 1'000'000,
                   e.time_us % 1'000'000, e.type, e.code, e.value);
  return out;
}

}  // namespace gyrax
