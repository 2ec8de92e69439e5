#include "bake/lighten.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numeric>

namespace thicket {
namespace {

constexpr int kLeastSide = 4;
constexpr int kTileGutter = 4;

/// One material's place in the merged picture.
struct Tile {
    std::uint32_t material = 0;
    Vec2f low{0, 0}; ///< of the UVs that are used
    Vec2f span{1, 1};
    int wide = 4;
    int tall = 4;
    int x = 0;
    int y = 0;
};

/// Rows of tiles, tallest first; returns the picture's size.
std::pair<int, int> layOut(std::vector<Tile>& tiles) {
    double area = 0;
    int widest = 0;
    for (const Tile& t : tiles) {
        area += static_cast<double>(t.wide + 2 * kTileGutter) * (t.tall + 2 * kTileGutter);
        widest = std::max(widest, t.wide + 2 * kTileGutter);
    }
    const int width = std::max(widest, static_cast<int>(std::ceil(std::sqrt(area))));
    std::vector<std::size_t> order(tiles.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return tiles[a].tall > tiles[b].tall; });
    int x = 0;
    int y = 0;
    int row = 0;
    int used = 0;
    for (const std::size_t i : order) {
        Tile& t = tiles[i];
        if (x > 0 && x + t.wide + 2 * kTileGutter > width) {
            y += row;
            x = row = 0;
        }
        t.x = x + kTileGutter;
        t.y = y + kTileGutter;
        x += t.wide + 2 * kTileGutter;
        used = std::max(used, x);
        row = std::max(row, t.tall + 2 * kTileGutter);
    }
    return {used, y + row};
}

class Merger {
public:
    Merger(const Mesh& mesh, const Surfaces& surfaces) : m_mesh(mesh), m_surfaces(surfaces) {}

    Result<LightenedLevel> run(int mostSide, const JobContext& job) {
        findTiles(mostSide);
        const auto [width, height] = layOut(m_tiles);
        LightenedLevel out;
        Material material = m_surfaces.materials[m_tiles.front().material];
        material.name = "merged";
        material.baseColor = Vec4f(1, 1, 1, 1);
        material.secondUv = 0;
        material.occlusionImage = material.emissiveImage = -1;
        material.emissive = Vec3f::Zero();
        const auto fill = [&](const char* name, int Material::*image, bool plain, const auto& constantOf) -> int {
            const bool any = std::any_of(m_tiles.begin(), m_tiles.end(),
                                         [&](const Tile& t) { return m_surfaces.materials[t.material].*image >= 0; });
            if (!any && plain)
                return -1;
            Pixels to{
                width, height,
                std::vector<std::uint8_t>(4 * static_cast<std::size_t>(width) * static_cast<std::size_t>(height))};
            for (const Tile& tile : m_tiles)
                draw(tile, m_surfaces.materials[tile.material].*image, plain, constantOf(tile), to);
            out.surfaces.images.push_back(encodePng(to, name));
            return static_cast<int>(out.surfaces.images.size()) - 1;
        };
        const auto of = [&](const Tile& t) -> const Material& { return m_surfaces.materials[t.material]; };
        material.baseColorImage =
            fill("merged color", &Material::baseColorImage, false, [&](const Tile& t) { return of(t).baseColor; });
        if (job.cancelled())
            return cancelledError();
        material.normalImage =
            fill("merged normal", &Material::normalImage, true, [](const Tile&) { return Vec4f(1, 1, 1, 1); });
        material.metallicRoughnessImage =
            fill("merged metallic roughness", &Material::metallicRoughnessImage, true,
                 [&](const Tile& t) { return Vec4f(1, of(t).roughness, of(t).metallic, 1); });
        if (material.metallicRoughnessImage >= 0) {
            material.metallic = material.roughness = 1;
        } else {
            material.metallic = material.roughness = 0;
            for (const Tile& t : m_tiles) {
                material.metallic += of(t).metallic / static_cast<float>(m_tiles.size());
                material.roughness += of(t).roughness / static_cast<float>(m_tiles.size());
            }
        }
        for (const Tile& t : m_tiles) {
            material.doubleSided |= of(t).doubleSided;
            if (of(t).alphaMode != AlphaMode::Opaque)
                material.alphaMode = of(t).alphaMode;
        }
        out.surfaces.materials = {material};
        out.mesh = m_mesh;
        mapUvs(out.mesh, width, height);
        return m_problem ? Result<LightenedLevel>(*m_problem) : Result<LightenedLevel>(std::move(out));
    }

private:
    [[nodiscard]] const Pixels* pixelsOf(int image) {
        const auto [at, fresh] = m_pixels.try_emplace(image);
        if (fresh) {
            auto decoded = decodeImage(m_surfaces.images[static_cast<std::size_t>(image)]);
            if (decoded)
                at->second = std::move(*decoded);
            else if (!m_problem)
                m_problem = decoded.error();
        }
        return at->second.width > 0 ? &at->second : nullptr;
    }

    void findTiles(int mostSide) {
        for (const MeshPart& part : m_mesh.parts) {
            Tile tile{part.material, {0, 0}, {1, 1}, kLeastSide, kLeastSide, 0, 0};
            const Material& material = m_surfaces.materials[part.material];
            const Pixels* picture = nullptr;
            for (const int image : {material.baseColorImage, material.normalImage, material.metallicRoughnessImage})
                if (image >= 0 && picture == nullptr)
                    picture = pixelsOf(image);
            if (picture != nullptr && !m_mesh.uvs.empty()) {
                Vec2f low = m_mesh.uvs[m_mesh.indices[3 * std::size_t{part.firstTriangle}]];
                Vec2f high = low;
                for (std::size_t c = 3 * std::size_t{part.firstTriangle};
                     c < 3 * (std::size_t{part.firstTriangle} + part.triangleCount); ++c) {
                    low = low.cwiseMin(m_mesh.uvs[m_mesh.indices[c]]);
                    high = high.cwiseMax(m_mesh.uvs[m_mesh.indices[c]]);
                }
                tile.low = low;
                tile.span = (high - low).cwiseMax(1e-6F);
                const auto side = [](float span, int size) {
                    return std::clamp(static_cast<int>(std::ceil(span * static_cast<float>(size))), kLeastSide,
                                      1 << 14);
                };
                tile.wide = side(tile.span.x(), picture->width);
                tile.tall = side(tile.span.y(), picture->height);
            }
            m_tiles.push_back(tile);
        }
        // All get smaller together until they fit.
        while (true) {
            std::vector<Tile> tried = m_tiles;
            const auto [width, height] = layOut(tried);
            const bool least = std::all_of(m_tiles.begin(), m_tiles.end(),
                                           [](const Tile& t) { return t.wide <= kLeastSide && t.tall <= kLeastSide; });
            if ((width <= mostSide && height <= mostSide) || least)
                return;
            for (Tile& t : m_tiles) {
                t.wide = std::max(kLeastSide, t.wide * 7 / 8);
                t.tall = std::max(kLeastSide, t.tall * 7 / 8);
            }
        }
    }

    /// Lays a picture (or a constant) into a tile and its gutter. `factor` multiplies it, in linear light for colours.
    void draw(const Tile& tile, int image, bool plain, const Vec4f& factor, Pixels& to) {
        Pixels own;
        if (image >= 0)
            if (const Pixels* picture = pixelsOf(image)) {
                own = *picture;
                // Not more than twice as fine as what is drawn, so that bilinear sampling leaves nothing out.
                while (own.width > kLeastSide && own.height > kLeastSide &&
                       tile.span.x() * static_cast<float>(own.width) > 1.5F * static_cast<float>(tile.wide))
                    own = halveImage(own, plain);
            }
        const bool normals = plain && image < 0 && factor == Vec4f(1, 1, 1, 1);
        for (int y = -kTileGutter; y < tile.tall + kTileGutter; ++y)
            for (int x = -kTileGutter; x < tile.wide + kTileGutter; ++x) {
                const Vec2f uv =
                    tile.low + Vec2f((static_cast<float>(x) + 0.5F) / static_cast<float>(tile.wide) * tile.span.x(),
                                     (static_cast<float>(y) + 0.5F) / static_cast<float>(tile.tall) * tile.span.y());
                Vec4f value = own.width > 0 ? sampleImage(own, uv, plain) : Vec4f(1, 1, 1, 1);
                value = normals ? Vec4f(0.5F, 0.5F, 1, 1) : value.cwiseProduct(factor);
                std::uint8_t* c = to.at(tile.x + x, tile.y + y);
                for (int i = 0; i < 4; ++i)
                    c[i] = i < 3 && !plain
                               ? toSrgb(value[i])
                               : static_cast<std::uint8_t>(std::lround(255 * std::clamp(value[i], 0.0F, 1.0F)));
            }
    }

    void mapUvs(Mesh& mesh, int width, int height) const {
        std::vector<std::uint8_t> mapped(mesh.positions.size(), 0);
        if (mesh.uvs.empty())
            mesh.uvs.assign(mesh.positions.size(), Vec2f(0, 0));
        for (std::size_t p = 0; p < mesh.parts.size(); ++p) {
            const Tile& tile = m_tiles[p];
            for (std::size_t c = 3 * std::size_t{mesh.parts[p].firstTriangle};
                 c < 3 * (std::size_t{mesh.parts[p].firstTriangle} + mesh.parts[p].triangleCount); ++c) {
                const std::uint32_t v = mesh.indices[c];
                if (mapped[v] != 0)
                    continue;
                mapped[v] = 1;
                const Vec2f share = (mesh.uvs[v] - tile.low).cwiseQuotient(tile.span);
                mesh.uvs[v] = {(static_cast<float>(tile.x) + share.x() * static_cast<float>(tile.wide)) /
                                   static_cast<float>(width),
                               (static_cast<float>(tile.y) + share.y() * static_cast<float>(tile.tall)) /
                                   static_cast<float>(height)};
            }
        }
        mesh.parts = {{0, mesh.triangleCount(), 0}};
    }

    const Mesh& m_mesh;
    const Surfaces& m_surfaces;
    std::vector<Tile> m_tiles;
    std::map<int, Pixels> m_pixels;
    std::optional<Error> m_problem;
};

/// Parts drawn with their new materials, those with the same one together.
Mesh swapped(const Mesh& mesh, const Surfaces& surfaces, const MaterialChoice& choice) {
    if (choice.swaps.empty())
        return mesh;
    Mesh out = mesh;
    out.indices.clear();
    out.parts.clear();
    std::vector<std::uint32_t> material;
    for (const MeshPart& part : mesh.parts) {
        std::uint32_t now = part.material;
        for (const auto& [from, to] : choice.swaps)
            if (part.material == from && to < surfaces.materials.size())
                now = to;
        material.push_back(now);
    }
    std::vector<std::uint32_t> order = material;
    std::sort(order.begin(), order.end());
    order.erase(std::unique(order.begin(), order.end()), order.end());
    for (const std::uint32_t m : order) {
        const std::uint32_t first = out.triangleCount();
        for (std::size_t i = 0; i < mesh.parts.size(); ++i)
            if (material[i] == m)
                out.indices.insert(out.indices.end(),
                                   mesh.indices.begin() + 3 * std::ptrdiff_t{mesh.parts[i].firstTriangle},
                                   mesh.indices.begin() + 3 * (std::ptrdiff_t{mesh.parts[i].firstTriangle} +
                                                               std::ptrdiff_t{mesh.parts[i].triangleCount}));
        out.parts.push_back({first, out.triangleCount() - first, m});
    }
    return out;
}

std::array<int*, 5> picturesOf(Material& m) {
    return {&m.baseColorImage, &m.metallicRoughnessImage, &m.normalImage, &m.occlusionImage, &m.emissiveImage};
}

} // namespace

Result<LightenedLevel> lightenLevel(const Mesh& mesh, const Surfaces& surfaces, const MaterialChoice& choice,
                                    const JobContext& job) {
    job.report(0, "making materials lighter");
    Surfaces chosen = surfaces;
    for (Material& m : chosen.materials) {
        if (choice.dropNormals)
            m.normalImage = -1;
        if (choice.dropDetail) {
            m.metallicRoughnessImage = m.occlusionImage = m.emissiveImage = -1;
        }
        if (choice.opaque && m.alphaMode == AlphaMode::Mask)
            m.alphaMode = AlphaMode::Opaque;
    }
    LightenedLevel out{swapped(mesh, chosen, choice), chosen};
    if (choice.merge && out.mesh.parts.size() > 1) {
        const Mesh apart = sharesVerticesAcrossMaterials(out.mesh) ? splitByMaterial(out.mesh) : std::move(out.mesh);
        auto merged = Merger(apart, chosen).run(choice.mergedSide, job);
        if (!merged)
            return merged.error();
        out = std::move(*merged);
    }
    // Only the pictures that are still used, each once, halved as often as asked.
    std::map<int, int> kept;
    std::vector<Image> images;
    for (Material& m : out.surfaces.materials)
        for (int* image : picturesOf(m)) {
            if (*image < 0)
                continue;
            const auto [at, fresh] = kept.try_emplace(*image, static_cast<int>(images.size()));
            if (fresh) {
                Image own = out.surfaces.images[static_cast<std::size_t>(*image)];
                if (choice.halvings > 0) {
                    auto pixels = decodeImage(own);
                    if (!pixels)
                        return pixels.error();
                    const bool plain = image != &m.baseColorImage && image != &m.emissiveImage;
                    for (int i = 0; i < choice.halvings && std::min(pixels->width, pixels->height) > kLeastSide; ++i)
                        *pixels = halveImage(*pixels, plain);
                    own = encodePng(*pixels, own.name);
                }
                images.push_back(std::move(own));
            }
            *image = at->second;
            if (job.cancelled())
                return cancelledError();
        }
    out.surfaces.images = std::move(images);
    return out;
}

} // namespace thicket
