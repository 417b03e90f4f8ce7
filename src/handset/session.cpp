#include "../files/toml_reader.hpp"

#include <gyrax/files/kind.hpp>
#include <gyrax/files/text_file.hpp>
#include <gyrax/handset/session.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

namespace gyrax {
namespace {

const Allowed session_time{0, max_session_s, false, "s"};

Time at_s(double seconds) { return Time{from_seconds(seconds)}; }

class SessionReader {
 public:
  explicit SessionReader(const std::string& file) : file_(file) {}

  Session read(std::string_view text) {
    session_.path = file_;
    if (auto other = other_kind(text, file_, FileKind::session)) throw SessionError({std::move(*other)});
    if (const auto document = Document::parse(std::string(text), file_, problems_)) {
      Table root = document->root(problems_);
      read_root(root);
    }
    std::vector<Problem> all = problems_.take();
    all.insert(all.end(), of_tracks_.begin(), of_tracks_.end());
    if (!all.empty()) throw SessionError(std::move(all), error_);
    return std::move(session_);
  }

 private:
  void read_root(Table& root) {
    const auto version = root.whole("gyrax_session", {1, 1e6, false, "", true});
    if (!root.has("gyrax_session"))
      root.problem(Code::version_missing, "", "the version of the format is missing",
                   fmt::format("a first line 'gyrax_session = {}'", session_version));
    if (version && *version > session_version)
      return root.problem(Code::version_newer, "gyrax_session", fmt::format("this session is of version {}", *version),
                          fmt::format("this program reads versions up to {}; take a newer one", session_version));
    session_.title = root.text("title").value_or("");
    const double length = root.required_number("length_s", {0, max_session_s, true, "s"}).value_or(0);
    session_.length = from_seconds(length);
    for (auto& [name, table] : root.tables("handset")) read_handset(table, name);
    if (last_event_ > session_.length)
      root.problem(Code::out_of_range, "length_s", fmt::format("{:g} s is too short for its hands", length),
                   fmt::format("the track of '{}' goes on to {:.3f} s; give that or more, or plugged_s", last_of_,
                               to_seconds(last_event_)));
    for (Table& row : root.rows("fault")) read_fault(row);
    std::stable_sort(session_.faults.begin(), session_.faults.end(),
                     [](const SessionFault& a, const SessionFault& b) { return a.at < b.at; });
  }

  void read_handset(Table& table, const std::string& name) {
    SessionHandset handset;
    handset.name = name;
    read_plugged(table, handset);
    const auto track = table.text("track");
    if (!table.has("track")) table.missing("track", "the name of an evemu file beside this one");
    if (!track) return;
    handset.track_path = (std::filesystem::path(file_).parent_path() / *track).string();
    std::error_code unknown;  // told better by who reads it
    const std::uintmax_t size = std::filesystem::file_size(handset.track_path, unknown);
    if (!unknown && size > left_)
      return table.problem(Code::too_many, "track", "the session's tracks are too long",
                           fmt::format("at most {} together", size_words(max_track)));
    if (!unknown) left_ -= size;
    try {
      handset.track = read_track(handset.track_path);
    } catch (const SessionError& e) {
      of_tracks_.insert(of_tracks_.end(), e.problems().begin(), e.problems().end());
      if (e.error()) error_ = e.error();
      return;
    }
    check_events(handset);
    session_.handsets.push_back(std::move(handset));
  }

  void read_plugged(Table& table, SessionHandset& handset) {
    if (!table.has("plugged_s")) {
      handset.plugged.emplace_back(Time{}, Time{session_.length});
      return;
    }
    const auto spans = table.pairs("plugged_s");
    bool good = spans.has_value();
    double last = -1;
    for (std::size_t i = 0; good && i < spans->size(); ++i) {
      const auto [from, to] = (*spans)[i];
      good = from > last && to > from && to <= max_session_s;
      if (good) handset.plugged.emplace_back(at_s(from), at_s(to));
      last = to;
    }
    if (!good)
      table.problem(Code::wrong_type, "plugged_s", "these are not the times of being plugged in",
                    "a list of [from, to] in s, ascending, apart from each other");
  }

  void check_events(const SessionHandset& handset) {
    std::size_t span = 0, told = 0;
    const Track& track = handset.track;
    const bool always_there = handset.plugged == std::vector{std::pair{Time{}, Time{session_.length}}};
    for (std::size_t i = 0; i < track.events.size() && told < 5; ++i) {
      const Time at{std::chrono::microseconds(track.events[i].time_us)};
      // Then it is the session that is too short, and not the handset that is gone.
      if (always_there && at > Time{session_.length}) {
        last_event_ = Span{std::chrono::microseconds(track.events.back().time_us)};
        last_of_ = handset.name;
        return;
      }
      while (span + 1 < handset.plugged.size() && at > handset.plugged[span].second) ++span;
      if (!handset.plugged.empty() && at >= handset.plugged[span].first && at <= handset.plugged[span].second) continue;
      ++told;
      of_tracks_.push_back(
          {Code::event, handset.track_path, track.lines[i], 1, "",
           fmt::format("an event at {:.6f} s, when '{}' is not plugged in", to_seconds(at), handset.name),
           fmt::format("see plugged_s of [handset.{}] in {}", handset.name, file_), ""});
    }
  }

  void read_fault(Table& row) {
    SessionFault fault;
    fault.line = row.line();
    fault.at = at_s(row.required_number("at_s", session_time).value_or(0));
    const auto kind = row.choice("kind", {"silent", "stuck", "reversed", "mended"});
    if (!row.has("kind")) row.missing("kind", "silent, stuck, reversed or mended");
    fault.kind = kind == "stuck"      ? SessionFault::Kind::stuck
                 : kind == "reversed" ? SessionFault::Kind::reversed
                 : kind == "mended"   ? SessionFault::Kind::mended
                                      : SessionFault::Kind::silent;
    fault.link = row.text("link").value_or("");
    fault.axis = row.text("axis").value_or("");
    const bool of_link = kind == "silent";
    if (fault.link.empty() == fault.axis.empty() || (of_link && fault.link.empty()) ||
        (!of_link && kind != "mended" && fault.axis.empty()))
      row.problem(Code::missing_key, "", "a fault is of one link or of one axis",
                  "silent: link = …; stuck and reversed: axis = …; mended: either");
    session_.faults.push_back(fault);
  }

  std::string file_;
  Session session_;
  Problems problems_;
  std::vector<Problem> of_tracks_;
  std::error_code error_;
  std::uintmax_t left_ = max_track;  // bytes of tracks
  Span last_event_{};                // of a handset that is plugged in all the time, where that is after the end
  std::string last_of_;
};

/// As a comment: whatever a device calls itself, it is no line of its own.
std::string one_line(const std::string& said) {
  std::string text = as_text(said);
  std::replace_if(
      text.begin(), text.end(), [](char c) { return static_cast<unsigned char>(c) < ' ' || c == 0x7f; }, ' ');
  return text;
}

}  // namespace

std::map<std::string, Device> Session::devices() const {
  std::map<std::string, Device> all;
  for (const SessionHandset& handset : handsets) all[handset.name] = handset.track.device;
  return all;
}

Session parse_session(std::string_view text, const std::string& file) { return SessionReader(file).read(text); }

Session load_session(const std::string& path) {
  const Text text = read_text(path, max_session);
  if (text.error) throw SessionError({unreadable(path, text.why)}, text.error);
  return parse_session(text.text, path);
}

std::optional<std::string> write_session(const std::string& stem, const std::string& title,
                                         const std::vector<SessionHandset>& handsets, Span length) {
  // Whole microseconds, as the events have them: down for a beginning, up for an end, so that every event lies within.
  const auto down = [](Span span) { return static_cast<double>(span / std::chrono::microseconds(1)) / 1e6; };
  const auto up = [&](Span span) { return down(span + std::chrono::nanoseconds(999)); };
  const auto save = [](const std::string& path, const std::string& text) -> std::optional<std::string> {
    const std::error_code error = write_text(path, text);
    if (!error) return std::nullopt;
    return fmt::format("cannot write '{}': {}; check the folder and its permissions", path, error.message());
  };
  std::string text = fmt::format("gyrax_session = {}\ntitle = \"{}\"\nlength_s = {:.6f}\n", session_version, title,
                                 std::max(up(length), 1e-6));
  for (const SessionHandset& handset : handsets) {
    const std::string track = fmt::format("{}-{}.evemu", stem, handset.name);
    if (auto why = save(track, write_track(handset.track))) return why;
    text += fmt::format("\n[handset.{}]   # {}\ntrack = \"{}\"\nplugged_s = [", handset.name,
                        one_line(handset.track.device.name), std::filesystem::path(track).filename().string());
    for (const auto& [from, to] : handset.plugged)
      text += fmt::format("{}[{:.6f}, {:.6f}]", from == handset.plugged.front().first ? "" : ", ",
                          down(from.time_since_epoch()), up(to.time_since_epoch()));
    text += "]\n";
  }
  return save(stem + ".toml", text);
}

}  // namespace gyrax
