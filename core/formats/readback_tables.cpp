// CSV and PLY read back: a row or vertex per placement.
#include "core/formats/csv_reader.h"
#include "core/formats/own_words.h"
#include "core/formats/read_files.h"
#include "core/formats/readback.h"
#include "core/geometry/image.h"

#include <fmt/format.h>

#include <cstring>
#include <set>

namespace arvesk::readback {

Result<Things> csv(const std::string& path, const Task& task) {
  const auto table = readCsv(path, task);
  if (!table) return Failure(table.error());
  const auto number = [&](const char* name, std::size_t row) -> double {
    const TableColumn* column = table->find(name);
    if (const auto* d = column ? std::get_if<Array<double>>(column) : nullptr) return (*d)[row];
    if (const auto* u = column ? std::get_if<Array<std::uint64_t>>(column) : nullptr)
      return static_cast<double>((*u)[row]);
    throw std::out_of_range(fmt::format("the column {} holds no numbers", name));
  };
  const auto text = [&](const char* name, std::size_t row) -> std::string {
    const TableColumn* column = table->find(name);
    if (!column) throw std::out_of_range(fmt::format("the column {} is missing", name));
    if (const auto* words = std::get_if<TextCells>(column)) return (*words)[row];
    if (const auto* u = std::get_if<Array<std::uint64_t>>(column)) return std::to_string((*u)[row]);
    return fmt::format("{}", std::get<Array<double>>(*column)[row]);
  };
  Things out;
  try {
    const bool isColored = table->find("red") && table->find("green") && table->find("blue");
    for (std::size_t i = 0; i < table->rowCount; ++i) {
      Thing& thing = out[rowName(text("output", i), text("prop", i))];
      ++thing.placements;
      thing.box.add(Vec3(number("x", i), number("y", i), number("z", i)));
      if (isColored)
        thing.addColor({linearFromSrgb(static_cast<float>(number("red", i))),
                        linearFromSrgb(static_cast<float>(number("green", i))),
                        linearFromSrgb(static_cast<float>(number("blue", i)))});
    }
  } catch (const std::exception& e) { return wrongFile(path, inOwnWords(e)); }
  return out;
}

Result<Things> ply(const std::string& path, const Task& task) {
  const MappedFile file(path);
  if (!file.isOpen()) return wrongFile(path, "cannot be opened");
  std::string_view rest = file.bytes();
  std::map<std::string, std::size_t> offsets;
  std::map<int, std::string> props;
  std::map<int, std::string> outputs;
  std::size_t size = 0;
  std::size_t count = 0;
  for (bool isHead = true; isHead;) {
    const std::size_t end = rest.find('\n');
    if (end == std::string_view::npos) return wrongFile(path, "the header has no end");
    const std::string line(rest.substr(0, end));
    rest.remove_prefix(end + 1);
    isHead = line != "end_header";
    const auto words = [&](const std::string& start, std::map<int, std::string>& names) {
      if (!line.starts_with(start)) return;
      const std::size_t space = line.find(' ', start.size());
      if (space != std::string::npos) names[std::atoi(line.c_str() + start.size())] = pathOfUri(line.substr(space + 1));
    };
    words("comment prop ", props);
    words("comment output ", outputs);
    if (line.starts_with("element vertex ")) count = std::stoull(line.substr(15));
    if (!line.starts_with("property ")) continue;
    const std::size_t space = line.find(' ', 9);
    if (!offsets.emplace(line.substr(space + 1), size).second)
      return wrongFile(path, "two properties are called " + line.substr(space + 1));
    size += line.substr(9, space - 9) == "uchar" ? 1 : 4;
  }
  for (const char* name : {"x", "y", "z", "prop", "output"})
    if (!offsets.contains(name)) return wrongFile(path, fmt::format("the property {} is missing", name));
  if (rest.size() != size * count)
    return wrongFile(path, fmt::format("{} bytes of points instead of {}", rest.size(), size * count));
  Things out;
  for (std::size_t i = 0; i < count; ++i) {
    if (i % 65536 == 0 && task.isCancelled()) return Failure(cancelled());
    const auto value = [&]<typename T>(const char* name, T zero) {
      std::memcpy(&zero, rest.data() + i * size + offsets.at(name), sizeof zero);
      return zero;
    };
    const int prop = value("prop", 0);
    Thing& thing = out[rowName(outputs[value("output", 0)], prop < 0 ? std::string() : props[prop])];
    ++thing.placements;
    thing.box.add(Vec3(value("x", 0.0F), value("y", 0.0F), value("z", 0.0F)));
    if (!offsets.contains("red") || !offsets.contains("green") || !offsets.contains("blue")) continue;
    const auto linear = [&](const char* name) {
      return linearFromSrgb(static_cast<float>(value(name, std::uint8_t{0})) / 255);
    };
    thing.addColor({linear("red"), linear("green"), linear("blue")});
  }
  return out;
}

}  // namespace arvesk::readback
