// Any bytes as a csv or tsv file: rows, cells and types found on one thread in
// one piece, and on some threads in small pieces, must be the same.
//
// Byte 0 chooses delimiter, decimal sign, threads and the size of pieces; the
// rest is the file.
#include <cstdint>
#include <cstdlib>
#include <string>
#include <vector>

#include "core/typed_columns.h"

using namespace ronda::core;

namespace {

struct Seen {
  std::vector<std::string> cells, values;
  FaultAt fault;
};

Seen read(const Context& context, const char* bytes, std::size_t size,
          char delimiter, char decimal) {
  Seen seen;
  const Delimited file = lay_out(context, bytes, size, delimiter);
  seen.fault = file.fault;
  seen.cells = file.names;
  if (file.fault.fault != Fault::none || file.names.empty()) return seen;
  for (const Block& block : file.blocks) {
    CellReader reader(file, block);
    Cell cell;
    while (reader.next_row())
      while (reader.next_cell(cell)) seen.cells.push_back(cell_text(cell));
  }
  const std::size_t columns = file.names.size();
  std::vector<std::vector<double>> values(columns);
  const TypedColumns typed =
      type_columns(context, file, decimal, std::vector<bool>(columns, false),
                   [&](std::size_t k) {
                     values[k].assign(file.rows + 1, 0);
                     return values[k].data();
                   });
  seen.fault = typed.fault;
  if (typed.fault.fault != Fault::none) return seen;
  for (std::size_t k = 0; k < columns; ++k) {
    seen.values.push_back(
        std::to_string(static_cast<int>(typed.found[k].type)));
    for (std::size_t i = 0; typed.found[k].values && i < file.rows; ++i)
      seen.values.emplace_back(reinterpret_cast<const char*>(&values[k][i]),
                               sizeof(double));
  }
  return seen;
}

void require(bool holds) {
  if (!holds) std::abort();
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data,
                                      std::size_t size) {
  if (size < 2) return 0;
  const std::uint8_t first = data[0];
  const char delimiter = first & 1 ? '\t' : ',';
  const char decimal = first & 2 ? ',' : '.';
  Context whole, pieces;
  pieces.threads = 1 + ((first >> 2) & 3);
  pieces.chunk_rows = 1 + ((first >> 4) & 15);
  // (a copy of its own, so that a step behind its end is seen)
  const std::vector<char> bytes(data + 1, data + size);
  const Seen one = read(whole, bytes.data(), bytes.size(), delimiter, decimal);
  const Seen other =
      read(pieces, bytes.data(), bytes.size(), delimiter, decimal);
  require(one.fault.fault == other.fault.fault);
  require(one.fault.fault != Fault::none || one.cells == other.cells);
  require(one.fault.fault != Fault::none || one.values == other.values);
  return 0;
}
