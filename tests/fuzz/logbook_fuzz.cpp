// Any bytes as a logbook.
#include "within.hpp"

#include <gyrax/logbook/reader.hpp>

#include <cstdint>

namespace {

void read(const std::string& text) {
  gyrax::LogbookReader log(text, "fuzz.jsonl");
  bool closed = false;
  int line = 1;
  for (gyrax::LogRecord record; log.next(record);) {
    if (closed || record.line <= line) __builtin_trap();
    line = record.line;
    closed = record.kind == gyrax::LogRecord::Kind::end;
    for (const gyrax::LinkReport& report : record.reports)
      if (report.axes.size() > text.size()) __builtin_trap();
  }
  if (closed == !log.cut().empty()) __builtin_trap();
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text(reinterpret_cast<const char*>(data), size);
  // A head's rig is another reader's; and the text is there twice.
  const std::size_t most = gyrax::test::logbook_memory.of(size) + gyrax::test::toml_memory.of(size) + 2 * size;
  try {
    gyrax::test::within(most, [&] { read(text); });
  } catch (const gyrax::FileError& error) {
    if (error.problems().empty()) __builtin_trap();
  }
  return 0;
}
