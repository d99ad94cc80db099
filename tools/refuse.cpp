// Refuses one request for memory of the compiled code: loaded before R
// (LD_PRELOAD), it counts what ronda.so asks for, gives null (or throws, as
// `new` does) for the one that refuse_at() names, and keeps a list of what was
// granted and not yet given back. tools/refuse.R says which.
#include <dlfcn.h>
#include <link.h>

#include <atomic>
#include <cstdint>
#include <cstdlib>
#include <cstring>
#include <new>

extern "C" void* __libc_malloc(std::size_t);
extern "C" void* __libc_calloc(std::size_t, std::size_t);
extern "C" void __libc_free(void*);

namespace {

std::uintptr_t code_begin = 0, code_end = 0;
std::atomic<std::uint64_t> asked{0}, refused_number{0};
std::atomic<bool> watching{false};

// pointers that ronda.so holds, in a table without memory of its own
constexpr std::size_t places = std::size_t{1} << 20;
std::atomic<void*> held[places];
std::atomic<std::int64_t> held_count{0};
void* const gone = reinterpret_cast<void*>(1);

std::size_t place_of(void* p) {
  return (reinterpret_cast<std::uintptr_t>(p) >> 4) * 0x9E3779B97F4A7C15u >> 44;
}

void hold(void* p) {
  for (std::size_t at = place_of(p);; at = (at + 1) % places) {
    void* there = held[at];
    if ((there == nullptr || there == gone) &&
        held[at].compare_exchange_strong(there, p)) {
      ++held_count;
      return;
    }
  }
}

void let_go(void* p) {
  if (!p || held_count == 0) return;
  std::size_t at = place_of(p);
  for (std::size_t tries = 0; tries < places; ++tries, at = (at + 1) % places) {
    void* there = held[at];
    if (there == nullptr) return;
    if (there == p) {
      held[at] = gone;
      --held_count;
      return;
    }
  }
}

bool is_ours(const void* caller) {
  const auto at = reinterpret_cast<std::uintptr_t>(caller);
  return watching && at >= code_begin && at < code_end;
}

// whether this request is the one that is refused
bool is_refused() { return ++asked == refused_number; }

int find_code(dl_phdr_info* info, std::size_t, void*) {
  if (!std::strstr(info->dlpi_name, "/ronda.so")) return 0;
  for (int k = 0; k < info->dlpi_phnum; ++k) {
    const auto& part = info->dlpi_phdr[k];
    if (part.p_type != PT_LOAD || !(part.p_flags & PF_X)) continue;
    code_begin = info->dlpi_addr + part.p_vaddr;
    code_end = code_begin + part.p_memsz;
  }
  return 1;
}

void* granted(void* p, bool ours) {
  if (ours && p) hold(p);
  return p;
}

}  // namespace

extern "C" {

void* malloc(std::size_t size) {
  const bool ours = is_ours(__builtin_return_address(0));
  return ours && is_refused() ? nullptr : granted(__libc_malloc(size), ours);
}

void* calloc(std::size_t n, std::size_t size) {
  const bool ours = is_ours(__builtin_return_address(0));
  return ours && is_refused() ? nullptr : granted(__libc_calloc(n, size), ours);
}

void free(void* p) {
  if (watching) let_go(p);
  __libc_free(p);
}

// the number of the request to refuse, counted from now on; 0 for none
void refuse_at(double* number) {
  if (!code_end) dl_iterate_phdr(find_code, nullptr);
  watching = true;
  asked = 0;
  refused_number = static_cast<std::uint64_t>(*number);
}

// how many requests there were since then, and how many pieces are held
void refuse_counts(double* counts) {
  counts[0] = static_cast<double>(asked);
  counts[1] = static_cast<double>(held_count);
}
}

void* operator new(std::size_t size) {
  const bool ours = is_ours(__builtin_return_address(0));
  void* p = ours && is_refused()
                ? nullptr
                : granted(__libc_malloc(size ? size : 1), ours);
  if (!p) throw std::bad_alloc();
  return p;
}
void operator delete(void* p) noexcept { free(p); }
void operator delete(void* p, std::size_t) noexcept { free(p); }
