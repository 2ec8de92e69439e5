#include "io/import/gltf_surfaces.h"

#include "base/parallel.h"
#include "image/take_picture.h"

#include <fmt/format.h>
#include <span>

namespace thicket::detail {
namespace {

void takePictures(tinygltf::Model& model, Surfaces& out, std::vector<std::string>& notes, const JobContext& job) {
    std::vector<Result<Image>> taken(model.images.size(), Image());
    parallelChunks(taken.size(), 1, job, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) {
            const auto bytes = std::as_bytes(std::span(model.images[i].image));
            taken[i] = takePicture(model.images[i].name, {bytes.begin(), bytes.end()});
            model.images[i].image = {};
        }
    });
    for (std::size_t i = 0; i < taken.size(); ++i) {
        Result<Image>& own = taken[i];
        const tinygltf::Image& image = model.images[i];
        if (!own) {
            notes.push_back(fmt::format("picture {}{} {} and was left out", out.images.size(),
                                        image.name.empty() ? "" : " (" + image.name + ")", own.error().what));
            own = Image{image.name, {}, {}};
        }
        out.images.push_back(std::move(*own));
    }
}

/// Which picture a texture shows, -1 where it has none that was taken.
int imageOf(const tinygltf::Model& model, const Surfaces& taken, int texture) {
    if (texture < 0 || texture >= static_cast<int>(model.textures.size()))
        return -1;
    const tinygltf::Texture& of = model.textures[static_cast<std::size_t>(texture)];
    const auto there = [&taken](int source) {
        return source >= 0 && source < static_cast<int>(taken.images.size()) &&
               !taken.images[static_cast<std::size_t>(source)].encoded.empty();
    };
    if (there(of.source))
        return of.source;
    const auto webp = of.extensions.find("EXT_texture_webp");
    if (webp == of.extensions.end() || !webp->second.Has("source") || !webp->second.Get("source").IsInt())
        return -1;
    const int source = webp->second.Get("source").GetNumberAsInt();
    return there(source) ? source : -1;
}

Material materialOf(const tinygltf::Model& model, const Surfaces& taken, const tinygltf::Material& m) {
    Material own;
    own.name = m.name;
    const auto& pbr = m.pbrMetallicRoughness;
    for (std::size_t i = 0; i < 4 && i < pbr.baseColorFactor.size(); ++i)
        own.baseColor[static_cast<Eigen::Index>(i)] = static_cast<float>(pbr.baseColorFactor[i]);
    own.metallic = static_cast<float>(pbr.metallicFactor);
    own.roughness = static_cast<float>(pbr.roughnessFactor);
    for (std::size_t i = 0; i < 3 && i < m.emissiveFactor.size(); ++i)
        own.emissive[static_cast<Eigen::Index>(i)] = static_cast<float>(m.emissiveFactor[i]);
    own.alphaMode = m.alphaMode == "MASK"    ? AlphaMode::Mask
                    : m.alphaMode == "BLEND" ? AlphaMode::Blend
                                             : AlphaMode::Opaque;
    own.alphaCutoff = static_cast<float>(m.alphaCutoff);
    own.doubleSided = m.doubleSided;
    own.baseColorImage = imageOf(model, taken, pbr.baseColorTexture.index);
    own.metallicRoughnessImage = imageOf(model, taken, pbr.metallicRoughnessTexture.index);
    own.normalImage = imageOf(model, taken, m.normalTexture.index);
    own.occlusionImage = imageOf(model, taken, m.occlusionTexture.index);
    own.emissiveImage = imageOf(model, taken, m.emissiveTexture.index);
    int slot = 0;
    for (const int set : {pbr.baseColorTexture.texCoord, pbr.metallicRoughnessTexture.texCoord,
                          m.normalTexture.texCoord, m.occlusionTexture.texCoord, m.emissiveTexture.texCoord})
        own.secondUv = static_cast<std::uint8_t>(own.secondUv | (set == 1 ? 1 : 0) << slot++);
    return own;
}

} // namespace

std::shared_ptr<const Surfaces> readSurfaces(tinygltf::Model& model, std::vector<std::string>& notes,
                                             const JobContext& job) {
    Surfaces out;
    takePictures(model, out, notes, job);
    for (const tinygltf::Material& m : model.materials)
        out.materials.push_back(materialOf(model, out, m));
    return sharedSurfaces(std::move(out));
}

} // namespace thicket::detail
