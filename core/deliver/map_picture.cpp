#include "core/deliver/map_picture.h"

#include "core/base/border.h"
#include "core/base/safe_file.h"
#include "core/spatial/ground.h"

#include <ImfChannelList.h>
#include <ImfFrameBuffer.h>
#include <ImfHeader.h>
#include <ImfIO.h>
#include <ImfOutputFile.h>
#include <fmt/format.h>
#include <png.h>
#include <nlohmann/json.hpp>

#include <algorithm>

namespace arvesk {
namespace {

constexpr int kMostSide = 32768;

MapPicture framed(const Box3& box, float cell) {
  MapPicture m;
  m.cell = cell;
  m.corner = Vec2(std::floor(box.min.x / cell), std::floor(box.min.z / cell)) * cell;
  m.columns = static_cast<int>(
      std::min(std::floor((box.max.x - m.corner.x) / cell) + 1, static_cast<float>(kMostSide + 1)));
  m.rows = static_cast<int>(
      std::min(std::floor((box.max.z - m.corner.y) / cell) + 1, static_cast<float>(kMostSide + 1)));
  return m;
}

/// What OpenEXR writes, in memory: the file is then written whole or not at all.
class MemoryStream : public Imf::OStream {
 public:
  MemoryStream() : OStream("picture") {}
  void write(const char* bytes, int count) override {
    const auto n = static_cast<std::size_t>(count);
    if (m_at + n > text.size()) text.resize(m_at + n);
    std::copy_n(bytes, n, text.begin() + static_cast<std::ptrdiff_t>(m_at));
    m_at += n;
  }
  std::uint64_t tellp() override { return m_at; }
  void seekp(std::uint64_t at) override { m_at = at; }
  std::string text;

 private:
  std::size_t m_at = 0;
};

Result<std::string> exrBytes(const MapPicture& m) {
  return withinBorder([&] {
    Imf::Header header(m.columns, m.rows);
    header.compression() = Imf::ZIP_COMPRESSION;
    header.channels().insert("Y", Imf::Channel(Imf::FLOAT));
    Imf::FrameBuffer pixels;
    auto* values = reinterpret_cast<char*>(const_cast<float*>(m.values.data()));  // it only reads them
    pixels.insert("Y",
                  Imf::Slice(Imf::FLOAT, values, sizeof(float), sizeof(float) * static_cast<std::size_t>(m.columns)));
    MemoryStream out;
    {
      Imf::OutputFile file(out, header);
      file.setFrameBuffer(pixels);
      file.writePixels(m.rows);
    }  // what comes first in the file is written when it ends
    return std::move(out.text);
  });
}

Result<std::string> pngBytes(const MapPicture& m, float most) {
  png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
  png_infop info = png ? png_create_info_struct(png) : nullptr;
  if (!info) return fail(ProblemCode::WriteFailed, "the picture could not be made");
  std::string out;
  std::vector<png_byte> row(static_cast<std::size_t>(m.columns) * 2);
  if (setjmp(png_jmpbuf(png))) {
    png_destroy_write_struct(&png, &info);
    return fail(ProblemCode::WriteFailed, "the picture could not be made");
  }
  png_set_write_fn(
      png, &out,
      [](png_structp p, png_bytep data, png_size_t size) {
        static_cast<std::string*>(png_get_io_ptr(p))->append(reinterpret_cast<const char*>(data), size);
      },
      nullptr);
  png_set_IHDR(png, info, static_cast<png_uint_32>(m.columns), static_cast<png_uint_32>(m.rows), 16,
               PNG_COLOR_TYPE_GRAY, PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
  png_write_info(png, info);
  for (int y = 0; y < m.rows; ++y) {
    for (int x = 0; x < m.columns; ++x) {
      const float v =
          m.values[static_cast<std::size_t>(y) * static_cast<std::size_t>(m.columns) + static_cast<std::size_t>(x)];
      const auto gray = static_cast<unsigned>(std::lround(std::clamp(most > 0 ? v / most : 0.0F, 0.0F, 1.0F) * 65535));
      row[static_cast<std::size_t>(x) * 2] = static_cast<png_byte>(gray >> 8);
      row[static_cast<std::size_t>(x) * 2 + 1] = static_cast<png_byte>(gray & 255);
    }
    png_write_row(png, row.data());
  }
  png_write_end(png, info);
  png_destroy_write_struct(&png, &info);
  return out;
}

}  // namespace

MapPicture coverPicture(const std::vector<PointsPtr>& layers, const std::vector<SurfacePtr>& grounds, float cell,
                        const Task& task) {
  Box3 box;
  for (const SurfacePtr& g : grounds) box.add(g->bounds());
  if (grounds.empty())
    for (const PointsPtr& p : layers)
      for (std::size_t i = 0; i < p->count; ++i) box.add(p->position[i]);
  MapPicture m;
  m.quantity = "placements per m²";
  if (box.isEmpty() || task.isCancelled()) return m;
  m = framed(box, cell);
  m.quantity = "placements per m²";
  if (m.columns > kMostSide || m.rows > kMostSide) return m;
  m.values.assign(static_cast<std::size_t>(m.columns) * static_cast<std::size_t>(m.rows), 0.0F);
  for (const PointsPtr& p : layers)
    for (std::size_t i = 0; i < p->count; ++i) {
      const Vec2 c = (Vec2(p->position[i].x, p->position[i].z) - m.corner) / cell;
      if (c.x < 0 || c.y < 0 || c.x >= static_cast<float>(m.columns) || c.y >= static_cast<float>(m.rows)) continue;
      m.values[static_cast<std::size_t>(c.y) * static_cast<std::size_t>(m.columns) + static_cast<std::size_t>(c.x)] +=
          1 / (cell * cell);
    }
  return m;
}

Result<MapPicture> maskPicture(const Mask& mask, const SurfacePtr& ground, float cell, const Task& task) {
  const auto index = SurfaceIndex::of(*ground);
  if (!index) return Failure(index.error());
  const Box3 box = ground->bounds();
  MapPicture m = framed(box, cell);
  m.quantity = "mask value";
  if (m.columns > kMostSide || m.rows > kMostSide) return m;
  m.values.assign(static_cast<std::size_t>(m.columns) * static_cast<std::size_t>(m.rows), 0.0F);
  parallelPieces(task, m.values.size(), 2048, [&](std::size_t begin, std::size_t end) {
    Array<Vec3> position;
    Array<Vec3> normal;
    Array<std::uint32_t> face;
    Array<Vec2> uv;
    Array<std::uint32_t> cellOf;
    for (std::size_t i = begin; i < end; ++i) {
      const Vec3 from(m.corner.x + (static_cast<float>(i % static_cast<std::size_t>(m.columns)) + 0.5F) * cell,
                      box.max.y + 1,
                      m.corner.y + (static_cast<float>(i / static_cast<std::size_t>(m.columns)) + 0.5F) * cell);
      const SurfaceHit hit = (*index)->first(from, -kUp, box.extent().y + 2);
      if (!hit.isHit()) continue;
      const GroundPlace place = groundPlaceOf(*ground, hit);
      position.push_back(place.position);
      normal.push_back(place.normal);
      face.push_back(place.face);
      uv.push_back(place.uv);
      cellOf.push_back(static_cast<std::uint32_t>(i));
    }
    Points at;
    at.count = cellOf.size();
    at.position = std::move(position);
    at.groundNormal = std::move(normal);
    at.groundFace = std::move(face);
    at.groundUv = std::move(uv);
    Array<float> value(at.count);
    mask.values(at, 0, at.count, value.data());
    for (std::size_t k = 0; k < cellOf.size(); ++k) m.values[cellOf[k]] = std::clamp(value[k], 0.0F, 1.0F);
  });
  if (task.isCancelled()) return Failure(cancelled());
  return m;
}

Result<void> writeMapPicture(const MapPicture& m, const std::string& path) {
  if (m.columns < 1 || m.rows < 1)
    return fail(ProblemCode::MissingInput, "there is nothing to draw from above", "Place something, or add ground",
                path);
  if (m.columns > kMostSide || m.rows > kMostSide)
    return fail(ProblemCode::TooMany,
                fmt::format("cells of {:g} m would make a picture wider than {} pixels", m.cell, kMostSide),
                "Use larger cells", path);
  const std::string ending = path.substr(std::min(path.size(), path.find_last_of('.')));
  const float most = m.values.empty() ? 0 : *std::max_element(m.values.begin(), m.values.end());
  nlohmann::json beside{{"quantity", m.quantity},
                        {"corner", {m.corner.x, m.corner.y}},
                        {"extent", {static_cast<float>(m.columns) * m.cell, static_cast<float>(m.rows) * m.cell}},
                        {"meters_per_pixel", m.cell},
                        {"pixels", {m.columns, m.rows}},
                        {"axes", "columns along +x, rows along +z; corner is the least x and z"},
                        {"largest", most}};
  if (ending == ".exr") {
    const auto bytes = exrBytes(m);
    if (!bytes) return Failure(bytes.error());
    if (auto ok = writeWhole(path, *bytes); !ok) return ok;
  } else if (ending == ".png") {
    const auto bytes = pngBytes(m, most);
    if (!bytes) return Failure(bytes.error());
    if (auto ok = writeWhole(path, *bytes); !ok) return ok;
    beside["white"] = most;
  } else {
    return fail(ProblemCode::BadParameter, "the picture's format is not known by its ending", "Use .png or .exr", path);
  }
  return writeWhole(path + ".json", beside.dump(2) + "\n");
}

}  // namespace arvesk
