// What readers make of faces: any number of corners, concave ones, mirrored nodes, and what is not right, told in
// words.
#include "core/formats/mesh_reader.h"
#include "core/formats/polygons.h"
#include "tests/support/support.h"

#include <fstream>

using namespace arvesk;

namespace {

/// Six times the volume that the faces enclose: positive when they look outward.
double signedVolume(const Surface& s) {
  double sum = 0;
  for (const UVec3& t : s.triangles)
    sum += glm::dot(glm::dvec3(s.positions[t.x]),
                    glm::cross(glm::dvec3(s.positions[t.y]), glm::dvec3(s.positions[t.z])));
  return sum;
}

double areaOf(const Surface& s) {
  double sum = 0;
  for (std::size_t f = 0; f < s.faceCount(); ++f) sum += static_cast<double>(s.faceArea(f));
  return sum;
}

/// A unit cube about (2, 0.5, 0), as one COLLADA mesh below a node that is mirrored along X.
std::string mirroredCollada() {
  std::string p;
  for (const char* face : {"0 2 3 1", "4 5 7 6", "0 1 5 4", "2 6 7 3", "0 4 6 2", "1 3 7 5"}) {
    std::istringstream in(face);
    std::array<std::string, 4> c;
    for (std::string& v : c) in >> v;
    p += c[0] + " " + c[1] + " " + c[2] + " " + c[0] + " " + c[2] + " " + c[3] + " ";
  }
  return "<?xml version=\"1.0\"?><COLLADA xmlns=\"http://www.collada.org/2005/11/COLLADASchema\" version=\"1.4.1\">"
         "<asset><up_axis>Y_UP</up_axis></asset><library_geometries><geometry id=\"g\"><mesh>"
         "<source id=\"s\"><float_array id=\"a\" count=\"24\">0 0 0 1 0 0 0 1 0 1 1 0 0 0 1 1 0 1 0 1 1 1 1 1"
         "</float_array><technique_common><accessor source=\"#a\" count=\"8\" stride=\"3\"><param name=\"X\" "
         "type=\"float\"/><param name=\"Y\" type=\"float\"/><param name=\"Z\" type=\"float\"/></accessor>"
         "</technique_common></source><vertices id=\"v\"><input semantic=\"POSITION\" source=\"#s\"/></vertices>"
         "<triangles count=\"12\"><input semantic=\"VERTEX\" source=\"#v\" offset=\"0\"/><p>" +
         p +
         "</p></triangles></mesh></geometry></library_geometries><library_visual_scenes><visual_scene id=\"w\">"
         "<node id=\"n\"><scale>-1 1 2</scale><instance_geometry url=\"#g\"/></node></visual_scene>"
         "</library_visual_scenes><scene><instance_visual_scene url=\"#w\"/></scene></COLLADA>";
}

std::string base64(const std::string& bytes) { return QByteArray::fromStdString(bytes).toBase64().toStdString(); }

template <typename T>
void put(std::string& out, T value) {
  out.append(reinterpret_cast<const char*>(&value), sizeof value);
}

/// The same cube as glTF; `more` goes into the document.
std::string cubeGltf(const std::string& node, const std::string& more = {}) {
  std::string bytes;
  for (int i = 0; i < 8; ++i)
    for (const int v : {i & 1, i >> 1 & 1, i >> 2}) put(bytes, static_cast<float>(v));
  for (const int v :
       {0, 2, 3, 0, 3, 1, 4, 5, 7, 4, 7, 6, 0, 1, 5, 0, 5, 4, 2, 6, 7, 2, 7, 3, 0, 4, 6, 0, 6, 2, 1, 3, 7, 1, 7, 5})
    put(bytes, static_cast<std::uint16_t>(v));
  return "{\"asset\":{\"version\":\"2.0\"},\"scene\":0,\"scenes\":[{\"nodes\":[0]}],\"nodes\":[" + node +
         "],\"meshes\":[{\"name\":\"box\",\"primitives\":[{\"attributes\":{\"POSITION\":0},\"indices\":1}]}],"
         "\"buffers\":[{\"byteLength\":168,\"uri\":\"data:application/octet-stream;base64," +
         base64(bytes) +
         "\"}],\"bufferViews\":[{\"buffer\":0,\"byteLength\":96},{\"buffer\":0,\"byteOffset\":96,\"byteLength\":72}],"
         "\"accessors\":[{\"bufferView\":0,\"componentType\":5126,\"count\":8,\"type\":\"VEC3\",\"min\":[0,0,0],"
         "\"max\":[1,1,1]},{\"bufferView\":1,\"componentType\":5123,\"count\":36,\"type\":\"SCALAR\"}]" +
         more + "}";
}

}  // namespace

class TestFacesOfFiles : public QObject {
  Q_OBJECT

  QTemporaryDir m_dir;
  std::vector<Problem> m_warnings;

  std::string file(const char* name, const std::string& content) {
    const std::string path = m_dir.filePath(QLatin1String(name)).toStdString();
    std::ofstream(path, std::ios::binary) << content;
    return path;
  }
  Result<Surface> read(const char* name, const std::string& content) {
    m_warnings.clear();
    return readMesh(file(name, content), m_warnings);
  }
  bool isTold(const char* words) const {
    return std::any_of(m_warnings.begin(), m_warnings.end(),
                       [&](const Problem& p) { return p.message.find(words) != std::string::npos; });
  }

 private Q_SLOTS:
  /// A buffer that has a length and no bytes: the library throws what names a vector.
  void aBufferWithoutBytesIsToldInWords() {
    std::vector<Problem> warnings;
    const auto read = readMesh(test::sourcePath("tests/fuzz/corpus/gltf/buffer-without-bytes.glb").toStdString(),
                               warnings);
    QVERIFY(!read);
    QCOMPARE(read.error().message, std::string("glTF: it refers to what is not in it"));
  }

  /// A star of any number of corners, in any plane, is covered once: as many triangles as two less than corners, all
  /// turned as it is, of its area (Gauss' formula).
  void concaveFacesAreCoveredOnce() {
    const Draw draw(1, 2, 3, "stars");
    for (std::uint64_t k = 0; k < 400; ++k) {
      const auto n = static_cast<std::size_t>(3 + draw.bits(k) % 40);
      std::vector<Vec3> corners;
      const Quat turn = shortestTurn(kUp, glm::normalize(Vec3(draw.unit(k * 7 + 1) - 0.5F, draw.unit(k * 7 + 2) - 0.5F,
                                                              draw.unit(k * 7 + 3) - 0.5F)));
      double area = 0;
      std::vector<glm::dvec2> flat;
      for (std::size_t i = 0; i < n; ++i) {
        // From above a growing angle runs clockwise, against the normal: it is gone through the other way round.
        const double angle = -2 * glm::pi<double>() * static_cast<double>(i) / static_cast<double>(n);
        const double radius = 0.1 + 2 * static_cast<double>(draw.unit(hashOf(k, i)));
        flat.push_back({radius * std::cos(angle), radius * std::sin(angle)});
        corners.push_back(turn * Vec3(flat.back().x, 0, flat.back().y) + Vec3(5, -3, 2));
      }
      for (std::size_t i = 0; i < n; ++i) {
        const glm::dvec2 a = flat[i];
        const glm::dvec2 b = flat[(i + 1) % n];
        area += 0.5 * (b.x * a.y - a.x * b.y);
      }
      const std::vector<UVec3> triangles = trianglesOf(corners);
      QCOMPARE(triangles.size(), n - 2);
      double covered = 0;
      for (const UVec3& t : triangles) {
        const Vec3 twice = glm::cross(corners[t.y] - corners[t.x], corners[t.z] - corners[t.x]);
        covered += 0.5 * static_cast<double>(glm::dot(twice, turn * kUp));
        QVERIFY2(glm::dot(twice, turn * kUp) > -1e-4F, qPrintable(QString::number(k)));
      }
      QVERIFY2(test::within(covered, area, 1e-4, 1e-4), qPrintable(QString::number(k)));
    }
    // What crosses itself, lies on a line or is empty ends all the same.
    for (const auto& odd : {std::vector<Vec3>{Vec3(0), Vec3(1, 0, 1), Vec3(1, 0, 0), Vec3(0, 0, 1), Vec3(2, 0, 0.5F)},
                            std::vector<Vec3>(7, Vec3(1)), std::vector<Vec3>{Vec3(0), Vec3(1, 0, 0)}})
      QCOMPARE(trianglesOf(odd).size(), odd.size() < 3 ? 0 : odd.size() - 2);
  }

  /// An L of 3 m², whose first corner sees not all of it, through each reader that has faces of many corners.
  void concaveFacesInFiles() {
    const std::string corners = "2 0 0\n2 0 1\n1 0 1\n1 0 2\n0 0 2\n0 0 0\n";
    std::string obj;
    std::istringstream lines(corners);
    for (std::string line; std::getline(lines, line);) obj += "v " + line + "\n";
    const auto fromObj = read("l.obj", "o l\n" + obj + "f 1 2 3 4 5 6\n");
    const auto fromPly = read("l.ply",
                              "ply\nformat ascii 1.0\nelement vertex 6\nproperty float x\nproperty float y\nproperty "
                              "float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n" +
                                  corners + "6 0 1 2 3 4 5\n");
    const auto fromOff = read("l.off", "OFF\n6 1 0\n" + corners + "6 0 1 2 3 4 5\n");
    for (const auto* read : {&fromObj, &fromPly, &fromOff}) {
      QVERIFY2(read->has_value(), read->has_value() ? "" : toLine(read->error()).c_str());
      QCOMPARE((*read)->faceCount(), std::size_t{4});
      QVERIFY(test::within(areaOf(**read), 3, 1e-5, 0));
      for (std::size_t f = 0; f < 4; ++f)
        QVERIFY(glm::dot((*read)->faceNormal(f), (*read)->faceNormal(0)) > 0.999F);  // none is turned
    }
  }

  /// A box below a mirrored node looks outward, and what tells of the node makes the same of it.
  void mirroredNodes() {
    const std::string node = "{\"mesh\":0,\"scale\":[-1,1,2],\"rotation\":[0,0.6,0,0.8],\"translation\":[1,2,3]}";
    const auto gltf = read("mirrored.gltf", cubeGltf(node));
    const auto collada = read("mirrored.dae", mirroredCollada());
    for (const auto* read : {&gltf, &collada}) {
      QVERIFY2(read->has_value(), read->has_value() ? "" : toLine(read->error()).c_str());
      QVERIFY((*read)->isMirrored);
      QVERIFY(test::within(signedVolume(**read), 6 * 2, 1e-4, 0));
      for (std::size_t f = 0; f < (*read)->faceCount(); ++f) {
        const UVec3 t = (*read)->triangles[f];
        QVERIFY(glm::dot((*read)->normals[t.x], (*read)->faceNormal(f)) > 0.3F);
      }
    }
    const auto nodes = readGltfInstances(file("mirrored.gltf", cubeGltf(node)));
    QVERIFY(nodes && nodes->size() == 1);
    Box3 placed;
    for (int i = 0; i < 8; ++i)
      placed.add(nodes->front().position +
                 nodes->front().turn * (nodes->front().size * Vec3(i & 1, i >> 1 & 1, i >> 2)));
    const Box3 box = gltf->bounds();
    QVERIFY(glm::distance(placed.min, box.min) < 1e-5F && glm::distance(placed.max, box.max) < 1e-5F);
  }

  void malformedFacesAreCounted() {
    const std::string v = "v 0 0 0\nv 1 0 0\nv 0 0 1\n";
    const auto obj = read("odd.obj", "o odd\n" + v + "f 1 2\nf 1 2 3\nf 1 2 9\nf 3\n");
    QVERIFY(obj && obj->faceCount() == 1);
    QVERIFY(isTold("1 faces referred to vertices that are not there"));
    QVERIFY(isTold("2 faces have fewer than three corners"));
    const auto ply = read("odd.ply",
                          "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float "
                          "z\nelement face 4\nproperty list uchar float vertex_indices\nend_header\n0 0 0\n1 0 0\n0 0 "
                          "1\n2 0 1\n3 0 2 1\n3 0 1.5 2\n3 0 1 -1\n");
    QVERIFY(ply && ply->faceCount() == 1);
    QVERIFY(isTold("2 faces referred to vertices that are not there"));
    QVERIFY(isTold("1 faces have fewer than three corners"));
  }

  /// Strips of PLY: every other triangle is turned, −1 begins anew.
  void strips() {
    const auto good = read("strip.ply",
                           "ply\nformat ascii 1.0\nelement vertex 6\nproperty float x\nproperty float y\nproperty "
                           "float z\nelement tristrips 1\nproperty list int int vertex_indices\nend_header\n0 0 0\n0 0 "
                           "1\n1 0 0\n1 0 1\n2 0 0\n2 0 1\n9 0 1 2 3 -1 2 3 4 5\n");
    QVERIFY(good && good->faceCount() == 4);
    for (std::size_t f = 0; f < 4; ++f) QVERIFY(good->faceNormal(f).y > 0.999F);
    QVERIFY(test::within(areaOf(*good), 2, 1e-5, 0));
  }

  /// More parts than 16 bits hold are refused with their number, in each reader that has parts.
  void tooManyParts() {
    std::string obj = "v 0 0 0\nv 1 0 0\nv 0 0 1\n";
    std::string children;
    std::string nodes;
    for (int i = 0; i < 70'000; ++i) {
      obj += "o p" + std::to_string(i) + "\nf 1 3 2\n";
      children += (i > 0 ? "," : "") + std::to_string(i + 1);
      nodes += ",{\"mesh\":0}";
    }
    const auto fromObj = read("many.obj", obj);
    const auto fromGltf = read("many.gltf", cubeGltf("{\"children\":[" + children + "]}" + nodes));
    for (const auto* read : {&fromObj, &fromGltf}) {
      QVERIFY(!*read);
      QVERIFY2(read->error().message.find("70000 parts") != std::string::npos, toLine(read->error()).c_str());
    }
  }

  void wordsForWhatIsNotRead() {
    for (const char* how : {"extensionsRequired", "extensionsUsed"}) {
      std::string text = cubeGltf("{\"mesh\":0}", std::string(",\"") + how + "\":[\"KHR_draco_mesh_compression\"]");
      if (std::string(how) == "extensionsUsed") {  // and no numbers but the compressed ones
        const std::string view = "\"bufferView\":0,\"componentType\":5126,";
        text.replace(text.find(view), view.size(), "\"componentType\":5126,");
      }
      const auto draco = read("draco.gltf", text);
      QVERIFY(!draco);
      QVERIFY(draco.error().message.find("compressed (KHR_draco_mesh_compression)") != std::string::npos);
      QVERIFY(draco.error().advice.find("without compression") != std::string::npos);
    }
    // Half a millimeter is kept of places 4,500 km away: the file has them, the mesh does not.
    const auto far = read("far.ply",
                          "ply\nformat ascii 1.0\nelement vertex 3\nproperty double x\nproperty double y\nproperty "
                          "double z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n4500000.123 0 "
                          "0\n4500003.5 0 0\n4500000.123 0 3\n3 0 2 1\n");
    QVERIFY(far.has_value());
    QVERIFY(isTold("4500004 units from its origin"));
    QVERIFY(isTold("0.25 units"));
    // An image that ends early says so, by name.
    const std::string png = base64(std::string("\x89PNG\r\n\x1a\n\0\0\0\rIHDR", 16));
    const auto torn = read("torn.gltf",
                           cubeGltf("{\"mesh\":0}",
                                    ",\"materials\":[{\"name\":\"bark\",\"pbrMetallicRoughness\":{\"baseColorTexture\":"
                                    "{\"index\":0}}}],\"textures\":[{\"source\":0}],\"images\":[{\"name\":\"torn\","
                                    "\"uri\":\"data:image/png;base64," +
                                        png + "\"}]"));
    QVERIFY(torn.has_value());
    QVERIFY2(isTold("of material \"bark\" could not be read: "),
             m_warnings.empty() ? "" : m_warnings.front().message.c_str());
  }
};

QTEST_GUILESS_MAIN(TestFacesOfFiles)
#include "tst_faces_of_files.moc"
