/// A recorded session: what each handset sent, when each was plugged in, and when the stand-ins were told to fail.
///
/// A session is a TOML file of its own with one evemu track for each handset beside it (docs/formats.md). Keys that a
/// reader does not know are skipped.
///
///     gyrax::Session session = gyrax::load_session("session.toml");
///     gyrax::Rig rig = gyrax::fit(gyrax::load_rig("bench.toml"), session.devices());
#pragma once

#include <gyrax/base/time.hpp>
#include <gyrax/files/problem.hpp>
#include <gyrax/handset/track.hpp>

#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace gyrax {

/// A fault of a simulated machine. silent: its link gives no sign and takes none; stuck, reversed: of one axis.
struct SessionFault {
  enum class Kind : std::uint8_t { silent, stuck, reversed, mended };
  Time at{};
  Kind kind = Kind::silent;
  std::string link, axis;  ///< one of them; the other is empty
  int line = 0;
};

struct SessionHandset {
  std::string name;
  Track track;
  std::string track_path;
  std::vector<std::pair<Time, Time>> plugged;  ///< ascending, apart from each other
};

struct Session {
  std::string path, title;
  Span length{};
  std::vector<SessionHandset> handsets;
  std::vector<SessionFault> faults;  ///< times ascending

  std::map<std::string, Device> devices() const;
};

/// Greatest session file, bytes; its tracks have max_track together. Reading the file takes at most 160 bytes of memory
/// for each byte, and 4 MiB, besides what its tracks take.
inline constexpr std::size_t max_session = 1u << 20;
/// Greatest length of a session, and the version of its format.
inline constexpr double max_session_s = 86'400;
inline constexpr int session_version = 1;

/// Errors: SessionError with everything that is wrong, in the session and in its tracks.
Session load_session(const std::string& path);
/// The same from a text; tracks are looked for beside `file`.
Session parse_session(std::string_view text, const std::string& file);

/// Writes a recording as a session file and one track for each handset beside it: `stem`.toml and `stem`-NAME.evemu.
/// Error: a sentence with the file that could not be written.
std::optional<std::string> write_session(const std::string& stem, const std::string& title,
                                         const std::vector<SessionHandset>& handsets, Span length);

}  // namespace gyrax
