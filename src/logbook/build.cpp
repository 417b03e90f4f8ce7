#include <gyrax/logbook/build.hpp>

#include <fmt/format.h>

#include <elf.h>
#include <link.h>
#include <sys/utsname.h>
#include <fstream>

namespace gyrax {
namespace {

/// A note's parts are filled up to whole words of four bytes.
std::size_t filled(std::size_t size) { return (size + 3) / 4 * 4; }

/// The note that the linker leaves in the program's own segments (the first object that the loader lists).
int find_build_id(dl_phdr_info* info, std::size_t, void* out) {
  for (int i = 0; i < info->dlpi_phnum; ++i) {
    const ElfW(Phdr)& segment = info->dlpi_phdr[i];
    if (segment.p_type != PT_NOTE) continue;
    // The loader tells places as numbers.  NOLINTNEXTLINE(performance-no-int-to-ptr)
    const auto* at = reinterpret_cast<const char*>(info->dlpi_addr + segment.p_vaddr);
    const char* const end = at + segment.p_memsz;
    while (at + sizeof(ElfW(Nhdr)) <= end) {
      const auto* note = reinterpret_cast<const ElfW(Nhdr)*>(at);
      const char* description = at + sizeof *note + filled(note->n_namesz);
      if (note->n_type == NT_GNU_BUILD_ID)
        for (std::size_t b = 0; b < note->n_descsz; ++b)
          *static_cast<std::string*>(out) += fmt::format("{:02x}", static_cast<unsigned char>(description[b]));
      at = description + filled(note->n_descsz);
    }
  }
  return 1;
}

std::string processor() {
  utsname about{};
  ::uname(&about);
  std::ifstream in("/proc/cpuinfo");
  for (std::string line; std::getline(in, line);)
    if (line.starts_with("model name") && line.find(": ") != std::string::npos)
      return fmt::format("{} {}", about.machine, line.substr(line.find(": ") + 2));
  return about.machine;
}

}  // namespace

Build this_build() {
  Build build;
  build.version = GYRAX_VERSION;
  ::dl_iterate_phdr(find_build_id, &build.binary);
  build.processor = processor();
  return build;
}

}  // namespace gyrax
