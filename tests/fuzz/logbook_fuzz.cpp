// Any bytes as a logbook.
#include <gyrax/logbook/reader.hpp>

#include <cstdint>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  try {
    gyrax::LogbookReader log(std::string(reinterpret_cast<const char*>(data), size), "fuzz.jsonl");
    bool closed = false;
    int line = 1;
    for (gyrax::LogRecord record; log.next(record);) {
      if (closed || record.line <= line) __builtin_trap();
      line = record.line;
      closed = record.kind == gyrax::LogRecord::Kind::end;
      for (const gyrax::LinkReport& report : record.reports)
        if (report.axes.size() > size) __builtin_trap();
    }
    if (closed == !log.cut().empty()) __builtin_trap();
  } catch (const gyrax::FileError& error) {
    if (error.problems().empty()) __builtin_trap();
  }
  return 0;
}
