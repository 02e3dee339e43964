// Sow Free: 1 M points with normals on 2 M triangles, one thread, against CGAL's random points in a triangle mesh
// (positions only).
#include "benchmarks/bench.h"
#include "core/nodes/scatter/sow_free.h"
#include "core/spatial/surface_index.h"

#include <CGAL/Simple_cartesian.h>
#include <CGAL/Surface_mesh.h>
#include <CGAL/point_generators_3.h>

namespace arvesk::bench {

void addSow() {
  using Kernel = CGAL::Simple_cartesian<double>;
  using Mesh = CGAL::Surface_mesh<Kernel::Point_3>;
  const SurfacePtr surface = ground(1000, 100);
  auto mesh = std::make_shared<Mesh>();
  for (const Vec3& p : surface->positions)
    mesh->add_vertex({static_cast<double>(p.x), static_cast<double>(p.y), static_cast<double>(p.z)});
  for (const UVec3& t : surface->triangles)
    mesh->add_face(Mesh::Vertex_index(t.x), Mesh::Vertex_index(t.y), Mesh::Vertex_index(t.z));
  const auto table = areaTableOf(*surface);
  add({"Sow Free, 1 M on 2 M triangles", "CGAL random points in a mesh", true, 30,
       [surface, table] {
         withThreads(1, [&] {
           const Draw draw(1, 2, 3, "place");
           benchmark::DoNotOptimize(sowFreePoints({}, FaceDomain(*surface, table->area, table->total, false),
                                                  1e6 / table->total, 3, draw, 0.1F));
         });
       },
       [mesh] {
         CGAL::Random random(7);
         std::vector<Kernel::Point_3> out;
         out.reserve(1'000'000);
         CGAL::Random_points_in_triangle_mesh_3<Mesh> generator(*mesh, random);
         std::copy_n(generator, 1'000'000, std::back_inserter(out));
         benchmark::DoNotOptimize(out.data());
       }});
}

}  // namespace arvesk::bench
