#include "toml_reader.hpp"
#include "toml_parser.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <sstream>

namespace gyrax {

struct Table::Node {
  const toml::node* at = nullptr;
  explicit operator bool() const { return at != nullptr; }
};

namespace {

const toml::table& real(const void* table) { return *static_cast<const toml::table*>(table); }

/// A value as it would stand in a file. The package's own writer computes the widths of small fractions out of range.
std::string written(const toml::node& node) {
  if (const toml::array* list = node.as_array()) {
    std::string text;
    for (const toml::node& one : *list) text += (text.empty() ? "" : ", ") + written(one);
    return fmt::format("[{}]", text);
  }
  if (const toml::table* table = node.as_table()) {
    std::string text;
    for (const auto& [key, one] : *table)
      text += fmt::format("{} {} = {}", text.empty() ? "" : ",", key.str(), written(one));
    return fmt::format("{{{} }}", text);
  }
  if (const auto number = node.value_exact<double>()) {
    std::string text = fmt::format("{}", *number);
    return std::isfinite(*number) && text.find_first_of(".e") == std::string::npos ? text + ".0" : text;
  }
  std::ostringstream out;
  node.visit([&](const auto& n) { out << n; });
  return out.str();
}

std::string shown(const toml::node& node) {
  std::string text = written(node);
  if (text.size() > 40) text = text.substr(0, 40) + "…";
  return text;
}

/// What somebody wrote, where something else is wanted.
std::string kind_of(const toml::node& node) {
  if (const toml::array* list = node.as_array())
    return list->empty() ? "an empty list" : fmt::format("a list of {}", list->size());
  if (node.is_table()) return "a table";
  if (node.is_string()) return "a text";
  if (node.is_integer()) return "a number";
  if (node.is_floating_point()) return "a number with a fraction";
  if (node.is_boolean()) return "true or false";
  return "a date or a time";
}

/// As a person writes it: 0.2, 1000, 1e6.
std::string shown(double value) {
  std::string text = fmt::format("{:g}", value);
  // 1e6 and 1e-6, not 1e+06 and 1e-06.
  if (const std::size_t plus = text.find("e+0"); plus != std::string::npos) text.erase(plus + 1, 2);
  if (const std::size_t minus = text.find("e-0"); minus != std::string::npos) text.erase(minus + 2, 1);
  return text;
}

/// So much of a name or a word as a message can hold: a file may have one of a million letters.
std::string clipped(std::string text) {
  constexpr std::size_t most = 400;
  if (text.size() <= most) return text;
  std::size_t end = most;
  while (end > 0 && (static_cast<unsigned char>(text[end]) & 0xc0) == 0x80) --end;
  text.resize(end);
  text.shrink_to_fit();
  return text += "…";
}

}  // namespace

std::string range_text(const Allowed& a) {
  const std::string unit = *a.unit == '\0' ? std::string() : fmt::format(" {}", a.unit);
  const std::string kind = a.whole ? "a whole number" : "a number";
  if (std::isinf(a.low) && std::isinf(a.high)) return kind + unit;
  return fmt::format("{} in {}{}, {}]{}", kind, a.low_open ? '(' : '[', shown(a.low), shown(a.high), unit);
}

void Problems::add(Code code, const Place& at, std::string key, std::string what, std::string allowed,
                   std::string guess) {
  if (full()) {
    ++untold_;
    return;
  }
  Problem problem{code,
                  at.file,
                  at.line,
                  at.column,
                  clipped(std::move(key)),
                  clipped(std::move(what)),
                  clipped(std::move(allowed)),
                  clipped(std::move(guess))};
  // What two readers find wrong at one place, as the halves of a pair do, is one problem.
  const auto same = [&](const Problem& p) {
    return p.line == problem.line && p.column == problem.column && p.key == problem.key && p.what == problem.what &&
           p.file == problem.file;
  };
  if (std::none_of(list_.begin(), list_.end(), same)) list_.push_back(std::move(problem));
}

bool Problems::told(std::string_view key) const {
  return std::ranges::any_of(list_, [&](const Problem& one) { return one.key == key; });
}

std::vector<Problem> Problems::take() {
  // What is missing because its key is mistyped is told by the mistyped one.
  const auto mistyped = [this](const Problem& missing) {
    return std::any_of(list_.begin(), list_.end(), [&](const Problem& one) {
      return one.code == Code::unknown_key && !one.guess.empty() && one.file == missing.file &&
             one.key.starts_with(missing.key) && one.key.find('.', missing.key.size() + 1) == std::string::npos &&
             missing.what == fmt::format("'{}' is missing", one.guess);
    });
  };
  std::erase_if(list_, [&](const Problem& one) { return one.code == Code::missing_key && mistyped(one); });
  std::stable_sort(list_.begin(), list_.end(), [](const Problem& a, const Problem& b) {
    return a.file == b.file && std::pair(a.line, a.column) < std::pair(b.line, b.column);
  });
  if (untold_ > 0)
    list_.push_back({Code::too_many, list_.back().file, 0, 0, "", fmt::format("{} more problems", untold_),
                     "mend these first", ""});
  return std::move(list_);
}

Table::Table(const void* table, std::string name, std::string file, Problems& problems)
    : table_(table), name_(std::move(name)), file_(std::move(file)), problems_(&problems) {}

int Table::line() const { return static_cast<int>(real(table_).source().begin.line); }

void Table::problem(Code code, const char* key, std::string what, std::string allowed, std::string guess) {
  const toml::node* node = *key == '\0' ? nullptr : real(table_).get(key);
  const toml::source_region& at = node != nullptr ? node->source() : real(table_).source();
  problems_->add(code, place(file_, at), *key == '\0' ? name_ : full(key), std::move(what), std::move(allowed),
                 std::move(guess));
}

void Table::missing(const char* key, std::string allowed) {
  if (told(key)) return;
  problems_->add(Code::missing_key, place(file_, real(table_).source()), name_, fmt::format("'{}' is missing", key),
                 std::move(allowed));
}

void Table::wrong_type(const Node& node, const std::string& key, const char* wanted) {
  problems_->add(Code::wrong_type, place(file_, node.at->source()), key,
                 fmt::format("{} is {}", shown(*node.at), kind_of(*node.at)), fmt::format("{} is wanted", wanted));
}

Table::Node Table::node(const char* key) {
  offered_.emplace_back(key);
  known_.insert(key);
  const Node found{real(table_).get(key)};
  if (found) problems_->places[full(key)] = place(file_, found.at->source());
  return found;
}

void Table::allow(const char* key) { node(key); }

bool Table::too_many(std::size_t rows, const char* key) {
  if (rows <= max_rows) return false;
  problem(Code::too_many, key, fmt::format("{} of them", rows), fmt::format("at most {}", max_rows));
  return true;
}

bool Table::has(const char* key) const { return real(table_).contains(key); }

bool Table::is_table(const char* key) const {
  const toml::node* found = real(table_).get(key);
  return found != nullptr && found->is_table();
}

bool Table::is_list(const char* key) const {
  const toml::node* found = real(table_).get(key);
  return found != nullptr && found->is_array();
}

std::vector<TableValue> Table::values(const char* key) {
  std::vector<TableValue> all;
  const Node found = node(key);
  if (!found) return all;
  const auto take = [&](const toml::node& one) {
    if (const toml::table* table = one.as_table()) {
      all.push_back({"", Table(table, full(key), file_, *problems_), place(file_, one.source())});
    } else if (const auto word = one.value_exact<std::string>()) {
      all.push_back({*word, std::nullopt, place(file_, one.source())});
    } else {
      wrong_type({&one}, full(key), "a word or a table");
    }
  };
  const toml::array* list = found.at->as_array();
  if (list == nullptr) {
    take(*found.at);
  } else if (!too_many(list->size(), key)) {
    for (const toml::node& one : *list) take(one);
  }
  return all;
}

bool Table::is_text(const char* key) {
  const Node found = node(key);
  return found && found.at->is_string();
}

std::optional<double> Table::checked(const Node& found, const std::string& key, const Allowed& allowed) {
  const toml::node& node = *found.at;
  if (!node.is_number() || (allowed.whole && !node.is_integer())) {
    wrong_type(found, key, allowed.whole ? "a whole number" : "a number");
    return std::nullopt;
  }
  const double value = *node.value<double>();
  if (!std::isfinite(value)) {
    problems_->add(Code::not_finite, place(file_, node.source()), key, fmt::format("{} is not finite", shown(node)),
                   range_text(allowed) + " is wanted");
    return std::nullopt;
  }
  const bool above = allowed.low_open ? value > allowed.low : value >= allowed.low;
  if (!(above && value <= allowed.high)) {
    problems_->add(Code::out_of_range, place(file_, node.source()), key, fmt::format("{} is out of range", shown(node)),
                   range_text(allowed) + " is wanted");
    return std::nullopt;
  }
  return value;
}

std::optional<double> Table::number(const char* key, const Allowed& allowed) {
  const Node found = node(key);
  return !found ? std::nullopt : checked(found, full(key), allowed);
}

double Table::number(const char* key, const Allowed& allowed, double otherwise) {
  return number(key, allowed).value_or(otherwise);
}

std::optional<double> Table::required_number(const char* key, const Allowed& allowed) {
  if (!node(key)) missing(key, range_text(allowed) + " is wanted");
  return number(key, allowed);
}

std::optional<long long> Table::whole(const char* key, const Allowed& allowed) {
  Allowed whole_only = allowed;
  whole_only.whole = true;
  const std::optional<double> value = number(key, whole_only);
  if (!value) return std::nullopt;
  return static_cast<long long>(*value);
}

std::optional<std::pair<double, double>> Table::range(const char* key, const Allowed& allowed) {
  const Node found = node(key);
  if (!found) return std::nullopt;
  const toml::array* array = found.at->as_array();
  if (array == nullptr || array->size() != 2) {
    wrong_type(found, full(key), "a pair [low, high]");
    return std::nullopt;
  }
  const auto low = checked({array->get(0)}, full(key), allowed), high = checked({array->get(1)}, full(key), allowed);
  if (!low || !high) return std::nullopt;
  if (!(*low < *high)) {
    problem(Code::reversed_range, key, fmt::format("[{:g}, {:g}] does not go upwards", *low, *high),
            "the lower number comes first");
    return std::nullopt;
  }
  return std::pair(*low, *high);
}

std::vector<double> Table::numbers(const char* key, const Allowed& allowed) {
  const Node found = node(key);
  if (!found) return {};
  const toml::array* array = found.at->as_array();
  if (array == nullptr || array->empty()) {
    wrong_type(found, full(key), "a list of numbers");
    return {};
  }
  std::vector<double> values;
  for (const toml::node& one : *array)
    if (const auto value = checked({&one}, full(key), allowed)) values.push_back(*value);
  return values;
}

std::optional<bool> Table::flag(const char* key) {
  const Node found = node(key);
  if (!found) return std::nullopt;
  if (!found.at->is_boolean()) wrong_type(found, full(key), "true or false");
  return found.at->value<bool>();
}

std::optional<std::string> Table::text(const char* key) {
  const Node found = node(key);
  if (!found) return std::nullopt;
  if (!found.at->is_string()) {
    wrong_type(found, full(key), "a text in quotes");
    return std::nullopt;
  }
  return found.at->value<std::string>();
}

std::optional<std::string> Table::choice(const char* key, const std::vector<std::string>& words) {
  std::optional<std::string> word = text(key);
  if (!word || std::find(words.begin(), words.end(), *word) != words.end()) return word;
  problem(Code::bad_choice, key, fmt::format("'{}' is not a choice", *word), "one of " + listed(words),
          nearest(*word, words));
  return std::nullopt;
}

std::vector<std::string> Table::texts(const char* key) {
  const Node found = node(key);
  if (!found) return {};
  const toml::array* array = found.at->as_array();
  if (array == nullptr) {
    wrong_type(found, full(key), "a list of texts");
    return {};
  }
  std::vector<std::string> words;
  for (const toml::node& one : *array) {
    if (const auto word = one.value_exact<std::string>()) {
      words.push_back(*word);
    } else {
      wrong_type({&one}, full(key), "a text in quotes");
    }
  }
  return words;
}

std::optional<Table> Table::table(const char* key) {
  const Node found = node(key);
  if (!found) return std::nullopt;
  if (found.at->as_table() == nullptr) {
    wrong_type(found, full(key), "a table");
    return std::nullopt;
  }
  return Table(found.at->as_table(), full(key), file_, *problems_);
}

std::vector<std::pair<std::string, Table>> Table::tables(const char* key) {
  std::vector<std::pair<std::string, Table>> all;
  const std::optional<Table> outer = table(key);
  if (!outer || too_many(real(outer->table_).size(), key)) return all;
  for (const auto& [name, value] : real(outer->table_)) {
    const std::string named(name.str());
    if (value.as_table() == nullptr) {
      wrong_type({&value}, outer->full(named), "a table");
      continue;
    }
    all.emplace_back(named, Table(value.as_table(), outer->full(named), file_, *problems_));
  }
  // TOML has no order of tables; a person's is that of the lines.
  std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) {
    return std::pair(a.second.line(), a.first) < std::pair(b.second.line(), b.first);
  });
  return all;
}

std::vector<Table> Table::rows(const char* key) {
  std::vector<Table> all;
  const Node found = node(key);
  if (!found) return all;
  const toml::array* array = found.at->as_array();
  if (array == nullptr) {
    wrong_type(found, full(key), "a list of tables");
    return all;
  }
  if (too_many(array->size(), key)) return all;
  for (const toml::node& one : *array) {
    if (one.as_table() != nullptr) {
      all.push_back(Table(one.as_table(), full(key), file_, *problems_));
    } else {
      wrong_type({&one}, full(key), "a table");
    }
  }
  return all;
}

std::optional<std::vector<std::pair<double, double>>> Table::pairs(const char* key) {
  const Node found = node(key);
  const toml::array* array = found ? found.at->as_array() : nullptr;
  if (array == nullptr) return std::nullopt;
  std::vector<std::pair<double, double>> all;
  for (const toml::node& one : *array) {
    const toml::array* pair = one.as_array();
    if (pair == nullptr || pair->size() != 2) return std::nullopt;
    const auto first = pair->get(0)->value<double>(), second = pair->get(1)->value<double>();
    if (!first || !second) return std::nullopt;
    all.emplace_back(*first, *second);
  }
  return all;
}

std::vector<std::string> Table::keys() const {
  std::vector<std::string> all;
  for (const auto& [name, value] : real(table_)) all.emplace_back(name.str());
  return all;
}

void Table::refuse_the_rest() {
  std::sort(offered_.begin(), offered_.end());
  offered_.erase(std::unique(offered_.begin(), offered_.end()), offered_.end());
  for (const auto& [name, value] : real(table_)) {
    const std::string key(name.str());
    if (known_.contains(key)) continue;
    if (const std::string now = renamed(key);
        !now.empty() && std::binary_search(offered_.begin(), offered_.end(), now)) {
      problems_->add(Code::unknown_key, place(file_, name.source()), full(key), "no such key any more",
                     fmt::format("it is '{}' now", now));
      continue;
    }
    const std::string meant = problems_->full() ? std::string() : nearest(key, offered_);
    problems_->add(Code::unknown_key, place(file_, name.source()), full(key), "no such key",
                   meant.empty() ? fmt::format("known here: {}", listed(offered_)) : std::string(), meant);
  }
}

}  // namespace gyrax
