#include <gyrax/rig/differences.hpp>
#include <gyrax/rig/review.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <map>

namespace gyrax {
namespace {

using Json = nlohmann::ordered_json;

/// A list of things: its key in the review, what one is called, and which of its facts names it.
struct Things {
  const char *list, *thing;
  std::vector<const char*> named_by;
};
const std::vector<Things>& lists() {
  static const std::vector<Things> all{
      {"axes", "axis", {"axis"}},  {"zones", "zone", {"zone"}}, {"switches", "switch", {"switch"}},
      {"links", "link", {"link"}}, {"overrides", "", {"name"}}, {"controls", "control", {"handset", "control"}}};
  return all;
}

std::string said(const Json& value) {
  if (value.is_string()) return value.get<std::string>();
  if (value.is_number_float()) return fmt::format("{:.6g}", value.get<double>());
  return value.dump();
}

/// Every fact of a thing by its path: "becomes.stop_key".
void add_facts(const Json& value, const std::string& path, std::map<std::string, std::string>& facts) {
  if (value.is_object()) {
    for (const auto& [key, inner] : value.items())
      if (key != "file" && key != "line") add_facts(inner, path.empty() ? key : path + "." + key, facts);
  } else {
    facts[path] = said(value);
  }
}
std::map<std::string, std::string> facts_of(const Json& value) {
  std::map<std::string, std::string> facts;
  add_facts(value, "", facts);
  return facts;
}

std::string name_of(const Json& thing, const Things& list) {
  std::string name = list.thing;
  for (const char* key : list.named_by) name += (name.empty() ? "" : " ") + thing[key].get<std::string>();
  return name;
}

std::map<std::string, std::map<std::string, std::string>> by_name(const Json& review, const Things& list) {
  std::map<std::string, std::map<std::string, std::string>> all;
  for (const Json& thing : review[list.list]) all[name_of(thing, list)] = facts_of(thing);
  return all;
}

void compare(const std::string& name, const std::map<std::string, std::string>& before,
             const std::map<std::string, std::string>& after, std::vector<std::string>& all) {
  const auto is = [](const auto& facts, const std::string& key) {
    const auto at = facts.find(key);
    return at == facts.end() ? std::string("not there") : at->second.empty() ? std::string("nothing") : at->second;
  };
  auto keys = before;
  keys.insert(after.begin(), after.end());
  for (const auto& [key, value] : keys)
    if (is(before, key) != is(after, key))
      all.push_back(
          fmt::format("{}{} was {}, is {}", name.empty() ? "" : name + ": ", key, is(before, key), is(after, key)));
}

void compare_lists(const Json& before, const Json& after, const Things& list, std::vector<std::string>& all) {
  const auto old = by_name(before, list), now = by_name(after, list);
  for (const auto& [name, facts] : old)
    if (!now.contains(name)) all.push_back(name + " is gone");
  for (const auto& [name, facts] : now) {
    const auto was = old.find(name);
    if (was == old.end())
      all.push_back(name + " is new");
    else
      compare(name, was->second, facts, all);
  }
}

std::vector<std::string> sentences(const Json& review, const char* list, const char* key) {
  std::vector<std::string> all;
  for (const Json& one : review[list])
    all.push_back(key == nullptr ? one.get<std::string>() : one[key].get<std::string>());
  return all;
}

/// What is said of one and not of the other.
void compare_said(std::vector<std::string> before, std::vector<std::string> after, const std::string& what,
                  std::vector<std::string>& all) {
  std::ranges::sort(before);
  std::ranges::sort(after);
  std::vector<std::string> gone, come;
  std::ranges::set_difference(before, after, std::back_inserter(gone));
  std::ranges::set_difference(after, before, std::back_inserter(come));
  for (const std::string& one : gone) all.push_back(fmt::format("{} is gone: {}", what, one));
  for (const std::string& one : come) all.push_back(fmt::format("{} is new: {}", what, one));
}

}  // namespace

std::vector<std::string> differences(const Rig& before, const Rig& after) {
  const Json old = Json::parse(review_json(before)), now = Json::parse(review_json(after));
  std::vector<std::string> all;
  for (const char* key : {"title", "period_ms"})
    if (old[key] != now[key]) all.push_back(fmt::format("{} was {}, is {}", key, said(old[key]), said(now[key])));
  for (const Things& list : lists()) compare_lists(old, now, list, all);
  compare_said(sentences(old, "bindings", "says"), sentences(now, "bindings", "says"), "a binding", all);
  compare_said(sentences(old, "remarks", nullptr), sentences(now, "remarks", nullptr), "what cannot be promised", all);
  return all;
}

}  // namespace gyrax
