#include <gyrax/files/kind.hpp>

#include <fmt/format.h>

namespace gyrax {
namespace {

struct About {
  const char *name, *use;
};

About about(FileKind kind) {
  switch (kind) {
    case FileKind::rig: return {"a rig", "gyrax check, run and rehearse take it first"};
    case FileKind::session: return {"a session", "gyrax rehearse takes it after the rig, and --hands does"};
    case FileKind::calibration: return {"a calibration", "a rig's handset names it: calibration = \"pad.toml\""};
    case FileKind::track: return {"a track", "a session names it: track = \"pad.evemu\""};
    case FileKind::logbook: return {"a logbook", "gyrax logbook takes it"};
  }
  return {"", ""};
}

// The label of its first piece (docs/formats.md).
constexpr std::string_view logbook_begins = "\x57\x2A\x4D\x18";

/// `key = …` on a line of its own before the first table.
bool has_key(std::string_view text, std::string_view key) {
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    std::string_view line = text.substr(at, end - at);
    at = end + 1;
    while (line.starts_with(' ') || line.starts_with('\t')) line.remove_prefix(1);
    if (line.starts_with('[')) return false;
    if (!line.starts_with(key)) continue;
    line.remove_prefix(key.size());
    while (line.starts_with(' ') || line.starts_with('\t')) line.remove_prefix(1);
    if (line.starts_with('=')) return true;
  }
  return false;
}

std::optional<FileKind> kind_of(std::string_view text) {
  if (text.starts_with(logbook_begins)) return FileKind::logbook;
  if (text.starts_with("# EVEMU") || text.starts_with("N: ")) return FileKind::track;
  if (has_key(text, "gyrax_session")) return FileKind::session;
  if (has_key(text, "gyrax_calibration")) return FileKind::calibration;
  if (has_key(text, "gyrax")) return FileKind::rig;
  return std::nullopt;
}

Problem at_start(const std::string& file, Code code, std::string what, std::string allowed) {
  return {code, file, 1, 1, "", std::move(what), std::move(allowed), ""};
}

}  // namespace

std::optional<Problem> other_kind(std::string_view text, const std::string& file, FileKind wanted) {
  if (text.starts_with("\xff\xfe") || text.starts_with("\xfe\xff"))
    return at_start(file, Code::syntax, "it is written in UTF-16", "save it as UTF-8");
  if (text.starts_with("{\"gyrax_logbook\""))
    return at_start(file, Code::version_missing, "this is the text of a logbook, unpacked",
                    "gyrax logbook takes the file that `gyrax run` wrote");
  // A picture, a program, an archive: its first bytes already are no text.
  constexpr std::size_t first = 512;
  if (wanted != FileKind::logbook && !text.starts_with(logbook_begins) &&
      text.substr(0, first).find('\0') != std::string_view::npos)
    return at_start(file, Code::syntax, "this is not a text file", fmt::format("give {}", about(wanted).name));
  const std::optional<FileKind> kind = kind_of(text);
  if (!kind || *kind == wanted) return std::nullopt;
  return at_start(file, Code::version_missing, fmt::format("this is {}, not {}", about(*kind).name, about(wanted).name),
                  about(*kind).use);
}

}  // namespace gyrax
