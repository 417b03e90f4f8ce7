/// What an experienced colleague would say of a rig that holds: what cannot work, what is dangerous, what is doubtful.
///
///     for (const gyrax::Finding& f : gyrax::findings(rig)) fmt::print("{}\n", gyrax::sentence(f));
#pragma once

#include <gyrax/rig/rig.hpp>

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace gyrax {

enum class Severity : std::uint8_t {
  doubtful,     ///< it works, and is probably not what was meant
  dangerous,    ///< it works, and may move what nobody wants moved, or does not stop as anybody expects
  cannot_work,  ///< it will never do what it says
};
inline constexpr std::size_t severity_count = 3;
/// "doubtful", "dangerous", "cannot work".
const char* name_of(Severity severity) noexcept;
/// The severity of such a name; a blank may be an underscore. nullopt if there is none.
std::optional<Severity> severity_named(const std::string& name);

/// One kind of finding. Its code is stable: scripts may rely on it.
struct AboutFinding {
  const char* code;
  Severity severity;
  const char* why;  ///< a sentence: why it matters, whatever the numbers
};
/// Every kind.
std::span<const AboutFinding> about_findings() noexcept;

struct Finding {
  const AboutFinding* about = nullptr;
  Origin at;            ///< line 0 where it is of no line: something is missing
  std::string key;      ///< "axis.x.speed"; empty where none says it
  std::string what;     ///< what was found, with its numbers
  std::string instead;  ///< what to write instead
};

/// The worst first, then by their lines.
std::vector<Finding> findings(const Rig& rig);
/// "bench.toml:12:9: doubtful: axis.x.speed [long_stop]".
std::string heading(const Finding& finding);
/// "bench.toml:12:9: doubtful: axis.x.speed: …; why; instead: … [long_stop]".
std::string sentence(const Finding& finding);

}  // namespace gyrax
