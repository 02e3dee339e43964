// Tables.
#include "core/formats/csv_reader.h"
#include "tests/fuzz/fuzz.h"

using namespace arvesk;

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const auto table = parseCsv(std::string(fuzz::textOf(data, size)), {});
  if (!table) return 0;
  for (const TableColumn& column : table->columns)
    std::visit([&](const auto& values) { fuzz::require(values.size() == table->rowCount, "each row has a value"); },
               column);
  return 0;
}
