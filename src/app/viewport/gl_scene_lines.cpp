// Lines and dots of the scene: the grid, outlines, copies as they are seen from above.

#include "app/viewport/gl_scene.h"

#include <cmath>

namespace thicket::app {

void GlScene::grid(const QMatrix4x4& viewProjection, const QVector3D& centre, float square, int n) {
    std::vector<float> points;
    const float x0 = std::round(centre.x() / square) * square;
    const float z0 = std::round(centre.z() / square) * square;
    const auto line = [&](float ax, float az, float bx, float bz) {
        // In pieces, so that the fade along a line is smooth.
        constexpr int kPieces = 16;
        for (int i = 0; i < kPieces; ++i)
            for (int e = 0; e < 2; ++e) {
                const float t = static_cast<float>(i + e) / kPieces;
                points.insert(points.end(), {ax + (bx - ax) * t, centre.y(), az + (bz - az) * t});
            }
    };
    const float reach = square * static_cast<float>(n);
    for (int i = -n; i <= n; ++i) {
        const float at = square * static_cast<float>(i);
        line(x0 - reach, z0 + at, x0 + reach, z0 + at);
        line(x0 + at, z0 - reach, x0 + at, z0 + reach);
    }
    drawLines(viewProjection, points, QVector3D(x0, centre.y(), z0), reach, {0.9F, 0.95F, 0.9F, 0.22F});
}

void GlScene::lines(const QMatrix4x4& viewProjection, const std::vector<QVector3D>& places, const QColor& color) {
    std::vector<float> points;
    points.reserve(3 * places.size());
    for (const QVector3D& p : places)
        points.insert(points.end(), {p.x(), p.y(), p.z()});
    constexpr float kNoFade = 1e30F;
    drawLines(viewProjection, points, {}, kNoFade, {color.redF(), color.greenF(), color.blueF(), color.alphaF()});
}

void GlScene::drawLines(const QMatrix4x4& viewProjection, const std::vector<float>& points, const QVector3D& centre,
                        float reach, const QVector4D& color) {
    m_line.bind();
    m_line.setUniformValue("uViewProjection", viewProjection);
    m_line.setUniformValue("uCentre", centre);
    m_line.setUniformValue("uReach", reach);
    m_line.setUniformValue("uColor", color);
    glBindVertexArray(m_lineVao);
    glBindBuffer(GL_ARRAY_BUFFER, m_lineBuffer);
    glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(points.size() * 4), points.data(), GL_STREAM_DRAW);
    glEnableVertexAttribArray(0);
    glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, 0, nullptr);
    glEnable(GL_BLEND);
    // The picture stays opaque, whatever is laid over it.
    glBlendFuncSeparate(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA, GL_ZERO, GL_ONE);
    glDepthMask(GL_FALSE);
    glDrawArrays(GL_LINES, 0, static_cast<GLsizei>(points.size() / 3));
    glDepthMask(GL_TRUE);
    glDisable(GL_BLEND);
}

void GlScene::dots(const QMatrix4x4& viewProjection, const std::vector<Dot>& dots) {
    if (dots.empty())
        return;
    m_dot.bind();
    m_dot.setUniformValue("uViewProjection", viewProjection);
    glBindVertexArray(m_lineVao);
    glBindBuffer(GL_ARRAY_BUFFER, m_lineBuffer);
    glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(dots.size() * sizeof(Dot)), dots.data(), GL_STREAM_DRAW);
    const int sizes[3] = {3, 4, 1};
    std::size_t offset = 0;
    for (GLuint slot = 0; slot < 3; ++slot) {
        glEnableVertexAttribArray(slot);
        glVertexAttribPointer(slot, sizes[slot], GL_FLOAT, GL_FALSE, sizeof(Dot),
                              reinterpret_cast<const void*>(offset));
        offset += static_cast<std::size_t>(sizes[slot]) * sizeof(float);
    }
    glEnable(GL_PROGRAM_POINT_SIZE);
    glEnable(GL_BLEND);
    // The picture stays opaque, whatever is laid over it.
    glBlendFuncSeparate(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA, GL_ZERO, GL_ONE);
    glDepthMask(GL_FALSE);
    glDrawArrays(GL_POINTS, 0, static_cast<GLsizei>(dots.size()));
    glDepthMask(GL_TRUE);
    glDisable(GL_BLEND);
    glDisable(GL_PROGRAM_POINT_SIZE);
    glDisableVertexAttribArray(1);
    glDisableVertexAttribArray(2);
}

} // namespace thicket::app
