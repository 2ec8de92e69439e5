#pragma once
// Strands on the graphics card: ribbons that face the camera, each read from buffers by its number, so that thousands
// are one draw.

#include "strands/strand_cards.h"
#include "strands/strand_cover.h"
#include "switching/selector.h"

#include <QMatrix4x4>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <map>
#include <memory>

namespace thicket::app {

/// What strands of one level are drawn by, wherever they are listed.
struct StrandDraw {
    std::shared_ptr<const StrandSet> set;
    std::shared_ptr<const std::vector<float>> worth;
    std::shared_ptr<const StrandCosts> costs;
    double deviation = -1;                    ///< of the level; below 0: all points
    std::shared_ptr<const StrandCards> cards; ///< in place of lines; then only strands that have one are listed
    StrandLook look;
    Thinning thinning;
    bool thins = false;
    double keepFactor = 1;         ///< of the viewport in motion
    Vec3d decidedFrom{0, 0, 0};    ///< what the curves' distances are measured from
    double halfFieldTangent = 0.5; ///< tan(fov / 2) of the picture that is drawn

    bool operator==(const StrandDraw&) const = default;
};

/// REQUIRES a current OpenGL 3.3 core context for every call.
class GlStrands : protected QOpenGLFunctions_3_3_Core {
public:
    bool initialize();
    void release();
    void forget();

    struct How {
        QMatrix4x4 viewProjection;
        Vec3d eye;
        int lines = 0; ///< of the picture
        float haze = 0;
        QVector3D hazeColor;
        QVector4D tint; ///< w: how much of it
        float fade = 1;
    };
    /// Draws slots `first` .. `first + count - 1`, or as many of the listed ones from there on.
    void draw(const StrandDraw& what, const std::shared_ptr<const CellTable>& cells, std::uint32_t first,
              std::uint32_t count, const std::vector<std::uint32_t>& listed, const How& how);
    /// The most points that a strand of it has.
    std::uint32_t mostPoints(const StrandDraw& what) { return levelOf(what).most; } // two where they are cards

private:
    struct Buffer {
        GLuint buffer = 0;
        GLuint texture = 0;
    };
    struct Level {
        std::weak_ptr<const StrandSet> owner;
        Buffer points;
        Buffer first;
        std::uint32_t most = 0;
        int frames = 0; ///< since it was drawn
    };
    struct Places {
        std::weak_ptr<const CellTable> owner;
        Buffer order;
        Buffer middles;
    };
    Buffer make(const void* data, std::size_t bytes, GLenum format);
    void drop(const Buffer& buffer);
    Level& levelOf(const StrandDraw& what);
    Places& placesOf(const StrandDraw& what, const std::shared_ptr<const CellTable>& cells);

    struct Cards {
        std::weak_ptr<const StrandCards> owner;
        GLuint picture = 0;
        Buffer stands;
    };
    const Cards& cardsOf(const std::shared_ptr<const StrandCards>& cards);
    QOpenGLShaderProgram m_lines;
    QOpenGLShaderProgram m_byCards;
    std::map<const StrandCards*, Cards> m_cards;
    std::map<std::pair<const StrandSet*, double>, Level> m_levels;
    std::map<const CellTable*, Places> m_places;
    Buffer m_listed;
    GLuint m_vao = 0;
};

} // namespace thicket::app
