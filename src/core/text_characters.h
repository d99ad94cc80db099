// Where the characters of a text stand that the core knows by its address. They
// end with a zero.
#pragma once
#include <cstddef>

namespace ronda::core {

struct TextCharacters {
  std::ptrdiff_t behind = 0;  // so far behind the address, for every text
  const char* (*ask)(const void* text) = nullptr;  // or else who knows
  const char* operator()(const void* text) const {
    return ask ? ask(text) : static_cast<const char*>(text) + behind;
  }
};

}  // namespace ronda::core
