#include "io/import/other_surfaces.h"

#include "base/file.h"
#include "image/take_picture.h"

#include <algorithm>
#include <array>
#include <assimp/material.h>
#include <assimp/scene.h>
#include <cstring>
#include <fmt/format.h>
#include <map>
#include <optional>

namespace thicket::detail {
namespace fs = std::filesystem;
namespace {

constexpr std::uintmax_t kLargestPicture = std::uintmax_t{2} << 30;

std::string inSmallLetters(std::string text) {
    std::transform(text.begin(), text.end(), text.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return text;
}

constexpr int kMostListed = 20'000; ///< files of a folder
constexpr std::array<const char*, 6> kFolders{"textures", "texture", "tex", "maps", "images", "materials"};

fs::path folderOf(const fs::path& file) {
    return file.parent_path().empty() ? fs::path(".") : file.parent_path();
}

/// Where pictures of a file are looked for, from its folder, which is the first.
std::vector<fs::path> foldersFor(const fs::path& file) {
    const std::string own = inSmallLetters(file.stem().string()) + ".fbm";
    std::error_code ec;
    std::vector<fs::path> out;
    int looked = 0;
    for (auto at = fs::directory_iterator(folderOf(file), ec);
         !ec && at != fs::directory_iterator() && looked < kMostListed; at.increment(ec), ++looked) {
        const std::string name = inSmallLetters(at->path().filename().string());
        if (name == own || std::find(kFolders.begin(), kFolders.end(), name) != kFolders.end())
            out.push_back(at->path().filename());
    }
    std::sort(out.begin(), out.end());
    out.insert(out.begin(), fs::path());
    return out;
}

/// Names of what is in a folder, in order.
std::vector<std::string> namesIn(const fs::path& folder) {
    std::error_code ec;
    std::vector<std::string> names;
    for (auto at = fs::directory_iterator(folder, ec);
         !ec && at != fs::directory_iterator() && names.size() < kMostListed; at.increment(ec))
        names.push_back(at->path().filename().string());
    std::sort(names.begin(), names.end());
    return names;
}

/// Pictures by the names that a file has for them: often with folders of another machine, and in other letters.
class PictureShelf {
public:
    PictureShelf(const aiScene& scene, const fs::path& file) : m_scene(scene), m_file(file) {}

    /// Empty where there is none, with what is wrong in `problem`.
    std::vector<std::byte> bytes(const std::string& name, std::string& problem) {
        if (const aiTexture* embedded = m_scene.GetEmbeddedTexture(name.c_str()))
            return bytesOf(*embedded);
        std::string clean = name;
        std::replace(clean.begin(), clean.end(), '\\', '/');
        if (auto read = bytesAt(clean); !read.empty())
            return read;
        list();
        if (const auto found = m_listed.find(inSmallLetters(fs::path(clean).filename().string()));
            found != m_listed.end())
            if (auto read = bytesAt(found->second); !read.empty())
                return read;
        problem = "was not found beside the file";
        return {};
    }

private:
    [[nodiscard]] std::vector<std::byte> bytesAt(const std::string& reference) const {
        const auto file = referencedFile(folderOf(m_file), reference, kLargestPicture);
        auto read = file ? readFile(*file, kLargestPicture) : Result<std::vector<std::byte>>(file.error());
        return read ? std::move(*read) : std::vector<std::byte>();
    }

    static std::vector<std::byte> bytesOf(const aiTexture& embedded) {
        std::vector<std::byte> out;
        if (embedded.mHeight == 0) {
            out.resize(embedded.mWidth);
            std::memcpy(out.data(), embedded.pcData, out.size());
            return out;
        }
        if (embedded.mWidth > kLargestSide || embedded.mHeight > kLargestSide)
            return out;
        Pixels pixels{static_cast<int>(embedded.mWidth), static_cast<int>(embedded.mHeight), {}};
        const std::size_t count = std::size_t{embedded.mWidth} * embedded.mHeight;
        for (std::size_t i = 0; i < count; ++i) {
            const aiTexel& t = embedded.pcData[i];
            pixels.rgba.insert(pixels.rgba.end(), {t.r, t.g, t.b, t.a});
        }
        return encodePng(pixels, {}).encoded;
    }

    /// Once, when something is not where it is said to be.
    void list() {
        if (m_areListed)
            return;
        m_areListed = true;
        for (const fs::path& below : foldersFor(m_file))
            for (const std::string& name : namesIn(folderOf(m_file) / below))
                m_listed.emplace(inSmallLetters(name), (below / name).string());
    }

    const aiScene& m_scene;
    fs::path m_file;
    bool m_areListed = false;
    std::map<std::string, std::string>
        m_listed; ///< where files are from the folder, the first by its name in small letters
};

/// Whether a picture's colours are directions: mostly near to (0, 0, 1), which is (128, 128, 255).
bool looksLikeNormals(const Pixels& pixels) {
    double sum[3] = {};
    const std::size_t count = pixels.rgba.size() / 4;
    const std::size_t step = std::max<std::size_t>(1, count / 10'000);
    std::size_t looked = 0;
    for (std::size_t i = 0; i < count; i += step, ++looked)
        for (std::size_t k = 0; k < 3; ++k)
            sum[k] += pixels.rgba[4 * i + k];
    const auto mean = [&](std::size_t k) { return sum[k] / static_cast<double>(std::max<std::size_t>(1, looked)); };
    constexpr double kAside = 30;
    return mean(2) > 170 && std::abs(mean(0) - 128) < kAside && std::abs(mean(1) - 128) < kAside;
}

class Maker {
public:
    Maker(const aiScene& scene, const fs::path& file) : m_scene(scene), m_shelf(scene, file) {}

    OtherSurfaces make() {
        for (unsigned i = 0; i < m_scene.mNumMaterials; ++i)
            m_out.surfaces.materials.push_back(material(*m_scene.mMaterials[i]));
        dropUnused();
        return std::move(m_out);
    }

private:
    static std::optional<std::string> nameOf(const aiMaterial& m, std::initializer_list<aiTextureType> kinds) {
        aiString file;
        for (const aiTextureType kind : kinds)
            if (m.GetTexture(kind, 0, &file) == AI_SUCCESS && file.length > 0)
                return file.C_Str();
        return std::nullopt;
    }

    /// Its place among the pictures; -1, and said, where there is none.
    int image(const std::string& name) {
        if (const auto known = m_byName.find(name); known != m_byName.end())
            return known->second;
        int index = -1;
        std::string problem;
        auto data = m_shelf.bytes(name, problem);
        if (problem.empty()) {
            std::string clean = name;
            std::replace(clean.begin(), clean.end(), '\\', '/');
            auto taken = takePicture(fs::path(clean).stem().string(), std::move(data));
            if (taken)
                index = add(std::move(*taken));
            else
                problem = taken.error().what + " and was left out";
        }
        if (index < 0)
            m_out.notes.push_back("the texture " + name + " " + problem);
        m_byName[name] = index;
        return index;
    }
    int imageOf(const aiMaterial& m, std::initializer_list<aiTextureType> kinds) {
        const auto name = nameOf(m, kinds);
        return name ? image(*name) : -1;
    }
    int add(Image picture) {
        m_out.surfaces.images.push_back(std::move(picture));
        return static_cast<int>(m_out.surfaces.images.size()) - 1;
    }
    [[nodiscard]] Pixels pixelsOf(int index) const {
        if (index < 0)
            return {};
        auto pixels = decodeImage(m_out.surfaces.images[static_cast<std::size_t>(index)]);
        return pixels ? std::move(*pixels) : Pixels{};
    }

    Material material(const aiMaterial& m) {
        Material own;
        own.name = m.GetName().C_Str();
        aiColor4D color;
        if (m.Get(AI_MATKEY_BASE_COLOR, color) == AI_SUCCESS || m.Get(AI_MATKEY_COLOR_DIFFUSE, color) == AI_SUCCESS)
            own.baseColor = Vec4f(color.r, color.g, color.b, 1.0F);
        int twoSided = 0;
        if (m.Get(AI_MATKEY_TWOSIDED, twoSided) == AI_SUCCESS)
            own.doubleSided = twoSided != 0;
        own.baseColorImage = imageOf(m, {aiTextureType_BASE_COLOR, aiTextureType_DIFFUSE});
        if (own.baseColorImage >= 0 && own.baseColor.head<3>().maxCoeff() <= 0)
            own.baseColor = Vec4f(1, 1, 1, 1);
        cover(m, own);
        own.normalImage = normals(m);
        own.occlusionImage = imageOf(m, {aiTextureType_AMBIENT_OCCLUSION});
        glow(m, own);
        metal(m, own);
        return own;
    }

    /// A picture of how opaque it is goes into the colour's alpha, to be tested; evenly opaque is blended.
    void cover(const aiMaterial& m, Material& own) {
        const auto name = nameOf(m, {aiTextureType_OPACITY});
        if (!name) {
            float opacity = 1;
            constexpr float kMeant = 0.02F; // what is said to be quite clear is said so by mistake
            if (m.Get(AI_MATKEY_OPACITY, opacity) == AI_SUCCESS && opacity > kMeant && opacity < 1 - kMeant) {
                own.baseColor.w() = opacity;
                own.alphaMode = AlphaMode::Blend;
            }
            return;
        }
        const int index = image(*name);
        const auto known = m_covered.find({own.baseColorImage, index});
        if (known != m_covered.end()) {
            own.alphaMode =
                known->second == own.baseColorImage && !m_holes[known->second] ? AlphaMode::Opaque : AlphaMode::Mask;
            own.baseColorImage = known->second;
            return;
        }
        const Pixels by = pixelsOf(index);
        if (by.rgba.empty())
            return;
        // How opaque it is stands in its alpha, or else it is grey.
        bool alpha = false;
        for (std::size_t i = 3; i < by.rgba.size() && !alpha; i += 4)
            alpha = by.rgba[i] < 255;
        const int before = own.baseColorImage;
        if (index != before) {
            Pixels to = pixelsOf(before);
            if (to.rgba.empty())
                to = {by.width, by.height, std::vector<std::uint8_t>(by.rgba.size(), 255)};
            for (int y = 0; y < to.height; ++y)
                for (int x = 0; x < to.width; ++x) {
                    const Vec4f at = sampleImage(by,
                                                 {(static_cast<float>(x) + 0.5F) / static_cast<float>(to.width),
                                                  (static_cast<float>(y) + 0.5F) / static_cast<float>(to.height)},
                                                 true);
                    to.at(x, y)[3] =
                        static_cast<std::uint8_t>(std::lround(255 * (alpha ? at.w() : at.head<3>().mean())));
                }
            own.baseColorImage = add(encodePng(to, before >= 0 ? nameAt(before) : nameAt(index)));
            alpha = true;
        }
        if (alpha)
            own.alphaMode = AlphaMode::Mask;
        m_covered[{before, index}] = own.baseColorImage;
        m_holes[own.baseColorImage] = alpha;
    }

    /// What is given as heights is a normal map more often than not.
    int normals(const aiMaterial& m) {
        const int index = imageOf(m, {aiTextureType_NORMALS, aiTextureType_NORMAL_CAMERA});
        const auto bump = index < 0 ? nameOf(m, {aiTextureType_HEIGHT}) : std::nullopt;
        if (!bump)
            return index;
        const int heights = image(*bump);
        if (heights < 0 || looksLikeNormals(pixelsOf(heights)))
            return heights;
        const std::string note = "the bump map " + *bump + " is no normal map and was left out";
        if (std::find(m_out.notes.begin(), m_out.notes.end(), note) == m_out.notes.end())
            m_out.notes.push_back(note);
        return -1;
    }

    void glow(const aiMaterial& m, Material& own) {
        aiColor3D color;
        if (m.Get(AI_MATKEY_COLOR_EMISSIVE, color) == AI_SUCCESS)
            own.emissive = Vec3f(color.r, color.g, color.b).cwiseMax(0).cwiseMin(1);
        own.emissiveImage = imageOf(m, {aiTextureType_EMISSION_COLOR, aiTextureType_EMISSIVE});
        if (own.emissiveImage >= 0 && own.emissive.maxCoeff() <= 0)
            own.emissive = Vec3f(1, 1, 1);
    }

    /// Roughness is the green of glTF's picture, metal its blue; often it is one picture already.
    void metal(const aiMaterial& m, Material& own) {
        const auto metal = nameOf(m, {aiTextureType_METALNESS});
        const auto rough = nameOf(m, {aiTextureType_DIFFUSE_ROUGHNESS});
        float factor = 0;
        if (m.Get(AI_MATKEY_METALLIC_FACTOR, factor) == AI_SUCCESS)
            own.metallic = std::clamp(factor, 0.0F, 1.0F);
        if (m.Get(AI_MATKEY_ROUGHNESS_FACTOR, factor) == AI_SUCCESS)
            own.roughness = std::clamp(factor, 0.0F, 1.0F);
        if (!metal && !rough)
            return;
        const int metalIndex = metal ? image(*metal) : -1;
        const int roughIndex = rough ? image(*rough) : -1;
        if (metalIndex < 0 && roughIndex < 0)
            return;
        if (metalIndex >= 0 && own.metallic <= 0)
            own.metallic = 1;
        if (roughIndex >= 0)
            own.roughness = 1;
        if (metalIndex == roughIndex) {
            own.metallicRoughnessImage = metalIndex;
            return;
        }
        if (const auto known = m_metals.find({metalIndex, roughIndex}); known != m_metals.end()) {
            own.metallicRoughnessImage = known->second;
            return;
        }
        const Pixels m1 = pixelsOf(metalIndex);
        const Pixels r1 = pixelsOf(roughIndex);
        const Pixels& larger = m1.rgba.size() > r1.rgba.size() ? m1 : r1;
        if (larger.rgba.empty())
            return;
        Pixels both{larger.width, larger.height, std::vector<std::uint8_t>(larger.rgba.size(), 255)};
        for (int y = 0; y < both.height; ++y)
            for (int x = 0; x < both.width; ++x) {
                const Vec2f at((static_cast<float>(x) + 0.5F) / static_cast<float>(both.width),
                               (static_cast<float>(y) + 0.5F) / static_cast<float>(both.height));
                const auto grey = [&at](const Pixels& of) {
                    return static_cast<std::uint8_t>(std::lround(255 * sampleImage(of, at, true).head<3>().mean()));
                };
                both.at(x, y)[1] = r1.rgba.empty() ? 255 : grey(r1);
                both.at(x, y)[2] = m1.rgba.empty() ? 255 : grey(m1);
            }
        own.metallicRoughnessImage = add(encodePng(both, nameAt(metalIndex >= 0 ? metalIndex : roughIndex)));
        m_metals[{metalIndex, roughIndex}] = own.metallicRoughnessImage;
    }

    [[nodiscard]] std::string nameAt(int index) const {
        return m_out.surfaces.images[static_cast<std::size_t>(index)].name;
    }

    /// Pictures that went into others go.
    void dropUnused() {
        std::vector<int> to(m_out.surfaces.images.size(), -1);
        std::vector<Image> kept;
        for (Material& m : m_out.surfaces.materials)
            for (int* index :
                 {&m.baseColorImage, &m.metallicRoughnessImage, &m.normalImage, &m.occlusionImage, &m.emissiveImage}) {
                if (*index < 0)
                    continue;
                int& place = to[static_cast<std::size_t>(*index)];
                if (place < 0) {
                    place = static_cast<int>(kept.size());
                    kept.push_back(std::move(m_out.surfaces.images[static_cast<std::size_t>(*index)]));
                }
                *index = place;
            }
        m_out.surfaces.images = std::move(kept);
    }

    const aiScene& m_scene;
    PictureShelf m_shelf;
    OtherSurfaces m_out;
    std::map<std::string, int> m_byName;
    std::map<std::pair<int, int>, int> m_covered; ///< colour and cover: the picture of both
    std::map<int, bool> m_holes;                  ///< whether such a picture has any
    std::map<std::pair<int, int>, int> m_metals;
};

} // namespace

std::uintmax_t picturesBeside(const fs::path& file) {
    constexpr std::array<const char*, 9> kSuffixes{".png", ".jpg", ".jpeg", ".tga", ".bmp",
                                                   ".psd", ".tif", ".tiff", ".webp"};
    std::uintmax_t sum = 0;
    for (const fs::path& below : foldersFor(file))
        for (const std::string& name : namesIn(folderOf(file) / below)) {
            const std::string suffix = inSmallLetters(fs::path(name).extension().string());
            if (std::find(kSuffixes.begin(), kSuffixes.end(), suffix) == kSuffixes.end())
                continue;
            std::error_code ec;
            const auto size = fs::file_size(folderOf(file) / below / name, ec);
            sum += ec ? 0 : std::min(size, kLargestPicture);
        }
    return sum;
}

OtherSurfaces otherSurfaces(const aiScene& scene, const fs::path& file) {
    return Maker(scene, file).make();
}

} // namespace thicket::detail
