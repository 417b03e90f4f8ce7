#include <gyrax/files/problem.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>

namespace gyrax {
namespace {

struct AboutCode {
  const char* name;
  const char* meaning;
};

constexpr std::array<AboutCode, code_count> codes{{
    {"unreadable", "the file cannot be read at all: missing, a folder, a device, too large, no permission"},
    {"syntax", "the text is not what its format allows; reading stops there"},
    {"version_missing", "the first line that says which version of the format this is, is not there"},
    {"version_newer", "the file was written for a newer version than this program knows"},
    {"unknown_key", "a key that means nothing here, usually a slip of the pen"},
    {"missing_key", "a key that has to be there is not"},
    {"wrong_type", "a value of another type than the key takes"},
    {"out_of_range", "a number outside what is allowed"},
    {"not_finite", "a number that is nan or infinite"},
    {"bad_choice", "a word that is not one of those allowed"},
    {"bad_name", "a name with characters that names cannot have"},
    {"duplicate_name", "the same thing is described twice"},
    {"unknown_name", "a name that nothing in the rig has"},
    {"unknown_control", "a control that no handset can have"},
    {"wrong_control", "a control of a kind that cannot do this"},
    {"reversed_range", "a range whose first number is not below its second"},
    {"calibration", "minimum, centre and maximum that do not go together"},
    {"servo_reach", "a servo whose pulses cannot reach the whole travel"},
    {"not_a_notch", "a start that is not in its list of notches"},
    {"one_effect", "a binding without an effect, or with more than one"},
    {"layer_not_allowed", "a layer on a binding that must count in every layer"},
    {"two_groups", "an axis that is in two groups, or a group across zones"},
    {"missing_binding", "a zone that moves but cannot be made ready, enabled, stopped or reset"},
    {"nothing_to_move", "a rig without an axis or without a handset"},
    {"too_many", "more of something than a tick is bounded for"},
    {"include", "an included file that includes others, or that is included twice"},
    {"device", "a handset's description that does not fit what is asked of it"},
    {"event", "an event that cannot be: out of order, or while its handset was unplugged"},
    {"cut_off", "a logbook that ends before anything in it can be read"},
    {"damaged", "a logbook whose first bytes are not those that were written"},
}};

/// Letters put in, left out, taken for another, or swapped with their neighbour (optimal string alignment).
std::size_t distance(const std::string& a, const std::string& b) {
  std::vector<std::vector<std::size_t>> d(a.size() + 1, std::vector<std::size_t>(b.size() + 1));
  for (std::size_t i = 0; i <= a.size(); ++i) d[i][0] = i;
  for (std::size_t j = 0; j <= b.size(); ++j) d[0][j] = j;
  for (std::size_t i = 1; i <= a.size(); ++i) {
    for (std::size_t j = 1; j <= b.size(); ++j) {
      const std::size_t other = d[i - 1][j - 1] + (a[i - 1] == b[j - 1] ? 0 : 1);
      d[i][j] = std::min({d[i - 1][j] + 1, d[i][j - 1] + 1, other});
      const bool swapped = i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1];
      if (swapped) d[i][j] = std::min(d[i][j], d[i - 2][j - 2] + 1);
    }
  }
  return d[a.size()][b.size()];
}

}  // namespace

const char* code_name(Code code) noexcept { return codes[static_cast<std::size_t>(code)].name; }

const char* code_meaning(Code code) noexcept { return codes[static_cast<std::size_t>(code)].meaning; }

Problem unreadable(const std::string& path, const std::string& why) {
  return {Code::unreadable, path, 0, 0, "", why, "", ""};
}

std::string sentence(const Problem& problem) {
  std::string out = problem.file;
  if (problem.line > 0) out += fmt::format(":{}:{}", problem.line, problem.column);
  out += ": ";
  if (!problem.key.empty()) out += problem.key + ": ";
  out += problem.what;
  if (!problem.allowed.empty()) out += "; " + problem.allowed;
  if (!problem.guess.empty()) out += fmt::format("; did you mean '{}'?", problem.guess);
  return out + fmt::format(" [{}]", code_name(problem.code));
}

std::string listed(const std::vector<std::string>& words) { return fmt::format("{}", fmt::join(words, ", ")); }

std::string nearest(const std::string& typed, const std::vector<std::string>& words) {
  constexpr std::size_t longest = 60;  // no name is longer, and the work grows with the square
  std::string best;
  if (typed.size() > longest) return best;
  std::size_t least = typed.size() / 3 + 2;
  for (const std::string& word : words) {
    const std::size_t d = distance(typed, word);
    if (d < least) {
      least = d;
      best = word;
    }
  }
  return best;
}

std::string renamed(std::string_view key) {
  // The form of a rig is not frozen yet; whoever wrote an older one is told the word that replaced theirs.
  constexpr std::pair<std::string_view, std::string_view> names[] = {{"rate", "override"},
                                                                     {"brake", "decel"},
                                                                     {"deviation", "following_error"},
                                                                     {"axis_deviates", "following_error"},
                                                                     {"settled", "in_position"},
                                                                     {"behind", "max_owed"},
                                                                     {"longest_ms", "max_ms"},
                                                                     {"shortest_ms", "min_ms"},
                                                                     {"oldest_ms", "max_age_ms"},
                                                                     {"make", "virtual"},
                                                                     {"brake_percent", "decel_percent"}};
  for (const auto& [old, now] : names)
    if (key == old) return std::string(now);
  return {};
}

FileError::FileError(std::vector<Problem> problems, std::error_code error)
    : std::runtime_error([&] {
        std::string all;
        for (const Problem& p : problems) all += sentence(p) + "\n";
        if (!all.empty()) all.pop_back();
        return all;
      }()),
      problems_(std::move(problems)),
      error_(error) {}

}  // namespace gyrax
