/// What is wrong with a file, as data: where, which key, what, and what would be right.
///
///     catch (const gyrax::FileError& e) { for (const gyrax::Problem& p : e.problems()) … p.code, p.line }
#pragma once

#include <stdexcept>
#include <string>
#include <string_view>
#include <system_error>
#include <vector>

namespace gyrax {

/// Each kind of problem. The names (code_name) are stable: scripts may rely on them.
enum class Code {
  unreadable,
  syntax,
  version_missing,
  version_newer,
  unknown_key,
  missing_key,
  wrong_type,
  out_of_range,
  not_finite,
  bad_choice,
  bad_name,
  duplicate_name,
  unknown_name,
  unknown_control,
  wrong_control,
  reversed_range,
  calibration,
  servo_reach,
  not_a_notch,
  one_effect,
  layer_not_allowed,
  two_groups,
  missing_binding,
  nothing_to_move,
  too_many,
  include,
  device,
  event,
  cut_off,
  damaged,
};
inline constexpr int code_count = 30;

/// "unknown_key" and so on.
const char* code_name(Code code) noexcept;
/// One sentence that says what the code stands for.
const char* code_meaning(Code code) noexcept;

struct Problem {
  Code code = Code::syntax;
  std::string file;
  int line = 0, column = 0;  ///< from 1; 0 where the problem has no place in the file
  std::string key;           ///< the full key, "axis.x.travel"; may be empty
  std::string what;          ///< what is wrong, with the value
  std::string allowed;       ///< what would be right; may be empty
  std::string guess;         ///< what was probably meant; may be empty
};

/// The problem of a file that could not be read at all; `why` as read_text gives it.
Problem unreadable(const std::string& path, const std::string& why);

/// "bench.toml:12:1: axis.x.travle: no such key; did you mean 'travel'? [unknown_key]"
std::string sentence(const Problem& problem);

/// "x, y, z".
std::string listed(const std::vector<std::string>& words);

/// What a key of an older form is called now; empty if it was never one.
std::string renamed(std::string_view key);
/// Of `words`, the one that `typed` was probably meant to be; empty if none is near.
std::string nearest(const std::string& typed, const std::vector<std::string>& words);

/// A file that cannot be used, with everything that is wrong with it.
class FileError : public std::runtime_error {
 public:
  explicit FileError(std::vector<Problem> problems, std::error_code error = {});
  const std::vector<Problem>& problems() const noexcept { return problems_; }
  /// Set where the outside world failed (no permission …), not the content.
  std::error_code error() const noexcept { return error_; }

 private:
  std::vector<Problem> problems_;
  std::error_code error_;
};

class RigError : public FileError {
  using FileError::FileError;
};

class SessionError : public FileError {
  using FileError::FileError;
};

}  // namespace gyrax
