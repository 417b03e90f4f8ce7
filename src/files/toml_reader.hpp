// Reads values out of a TOML document and notes everything that is wrong with them, each with its place and code.
// In: tables of one or more documents. Out: values that are inside what is allowed, and problems.
//
// The parser's own header stays inside the .cpp: it takes seconds to compile.
#pragma once

#include <gyrax/files/problem.hpp>

#include <limits>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace gyrax {

/// What a number may be. `unit` goes into the message: "in (0, 1e6] mm/s".
struct Allowed {
  double low = -std::numeric_limits<double>::infinity(), high = std::numeric_limits<double>::infinity();
  bool low_open = false;
  const char* unit = "";
  bool whole = false;
};

/// Where something stands in a file; lines and columns from 1, 0 where it has no place.
struct Place {
  std::string file;
  int line = 0, column = 0;
};

/// Collects the problems of all documents of a rig or a session, and where each value came from.
class Problems {
 public:
  /// More than so many are counted only: nobody mends a thousand at once, and a file may be made to hold a million.
  static constexpr std::size_t max_told = 1000;
  void add(Code code, const Place& at, std::string key, std::string what, std::string allowed = "",
           std::string guess = "");
  bool any() const { return !list_.empty(); }
  /// Whether something is wrong with a key already; what only follows from that is not told.
  bool told(std::string_view key) const;
  /// Whether what comes is counted only.
  bool full() const { return list_.size() >= max_told; }
  /// In the order of the files' lines.
  std::vector<Problem> take();
  std::map<std::string, Place> places;

 private:
  std::vector<Problem> list_;
  std::size_t untold_ = 0;
};

struct TableValue;

/// One table with a name, its file, and the keys that somebody asked for. Whatever was not asked for is unknown.
class Table {
 public:
  static constexpr std::size_t max_rows = 2048;
  std::optional<double> number(const char* key, const Allowed& allowed);
  double number(const char* key, const Allowed& allowed, double otherwise);
  std::optional<double> required_number(const char* key, const Allowed& allowed);
  std::optional<long long> whole(const char* key, const Allowed& allowed);
  std::optional<std::pair<double, double>> range(const char* key, const Allowed& allowed);
  std::vector<double> numbers(const char* key, const Allowed& allowed);
  std::optional<bool> flag(const char* key);
  std::optional<std::string> text(const char* key);
  std::optional<std::string> choice(const char* key, const std::vector<std::string>& words);
  std::vector<std::string> texts(const char* key);
  /// A sub-table; reading it marks the key as known. nullopt if it is not there or is something else (told).
  std::optional<Table> table(const char* key);
  /// Every sub-table of a table of tables ([axis.x], [axis.y] …) with its name; max_rows of them at most, more are
  /// told.
  std::vector<std::pair<std::string, Table>> tables(const char* key);
  /// Every table of an array of tables ([[fault]]); as many at most.
  std::vector<Table> rows(const char* key);
  /// A list of pairs of numbers, as they stand. nullopt if it is not there or is something else (not told).
  std::optional<std::vector<std::pair<double, double>>> pairs(const char* key);
  /// Marks a key as known, and says whether it holds a text.
  bool is_text(const char* key);
  /// Whether a key holds a list.
  bool is_list(const char* key) const;
  /// A word or a table under a key, or each of a list of them; anything else is told.
  std::vector<TableValue> values(const char* key);
  /// Whether a key holds a table.
  bool is_table(const char* key) const;

  bool has(const char* key) const;
  /// Whether something is wrong with it already.
  bool told(const char* key) const { return problems_->told(full(key)); }
  /// It may be there, whatever it says.
  void allow(const char* key);
  std::vector<std::string> keys() const;
  /// Tells of every key that nobody asked for. Call last.
  void refuse_the_rest();
  /// Tells of a problem at a key (or at the table itself if it is not there).
  void problem(Code code, const char* key, std::string what, std::string allowed = "", std::string guess = "");
  /// Unless it is there, and something else is wrong with it.
  void missing(const char* key, std::string allowed);

  const std::string& name() const { return name_; }
  const std::string& file() const { return file_; }
  int line() const;
  Problems& problems() const { return *problems_; }

 private:
  friend class Document;
  struct Node;  // what stands under a key
  Table(const void* table, std::string name, std::string file, Problems& problems);
  Node node(const char* key);
  std::optional<double> checked(const Node& node, const std::string& key, const Allowed& allowed);
  void wrong_type(const Node& node, const std::string& key, const char* wanted);
  bool too_many(std::size_t rows, const char* key);
  std::string full(const std::string& key) const { return name_.empty() ? key : name_ + "." + key; }

  const void* table_;  // the parser's, owned by the document
  std::string name_, file_;
  Problems* problems_;
  std::set<std::string> known_;
  std::vector<std::string> offered_;
};

/// A word or a table.
struct TableValue {
  std::string word;
  std::optional<Table> table;
  Place place;
};

/// A parsed document. Its tables are valid as long as it is.
class Document {
 public:
  /// A syntax error is told as a problem, and nothing comes back.
  static std::optional<Document> parse(const std::string& text, const std::string& file, Problems& problems);
  Table root(Problems& problems) const { return {root_.get(), "", file_, problems}; }
  const std::string& file() const { return file_; }

 private:
  std::shared_ptr<const void> root_;
  std::string file_;
};

/// "in [0, 100] mm" for messages.
std::string range_text(const Allowed& allowed);

}  // namespace gyrax
