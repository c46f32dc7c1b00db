#include "app/gl/lens_blur.h"

#include <cmath>

#include "base/error.h"

namespace ovrix::app {

namespace {

constexpr float kGamma = 2.2f;  ///< near enough to what screens do, there and back

const char* const kWhole = R"(#version 330 core
void main() {  // a triangle over all of it
    gl_Position = vec4(gl_VertexID == 1 ? 3.0 : -1.0, gl_VertexID == 2 ? 3.0 : -1.0, 0.0, 1.0);
}
)";

const char* const kRaised = R"(#version 330 core
uniform sampler2D picture;
uniform float scale, power;
out vec4 result;
void main() {
    vec3 c = texelFetch(picture, ivec2(gl_FragCoord.xy), 0).rgb;
    result = vec4(pow(max(c * scale, vec3(0.0)), vec3(power)), 1.0);
}
)";

}  // namespace

void LensBlur::initialise() {
    if (!initializeOpenGLFunctions())
        throw Error("depth of field in the view needs OpenGL 3.3", {}, "Use the render to see it");
    if (!program_.addShaderFromSourceCode(QOpenGLShader::Vertex, kWhole) ||
        !program_.addShaderFromSourceCode(QOpenGLShader::Fragment, kRaised) || !program_.link())
        throw Error("depth of field in the view cannot be drawn: " + program_.log().toStdString(), {},
                    "Use the render to see it");
    none_.create();
}

V2f LensBlur::place() const {
    if (count_ == 0) return V2f(0.0f);
    // Even over the square however many there are: Roberts, "The unreasonable effectiveness of quasirandom
    // sequences", 2018.
    constexpr float kFirst = 0.7548776662f, kSecond = 0.5698402910f;
    const float n = float(count_), u = 0.5f + n * kFirst, v = 0.5f + n * kSecond;
    return V2f(u - std::floor(u), v - std::floor(v));
}

void LensBlur::add(GLuint framebuffer, const QSize& size) {
    if (!sum_ || sum_->size() != size) {
        one_ = std::make_unique<QOpenGLFramebufferObject>(size);
        sum_ = std::make_unique<QOpenGLFramebufferObject>(size, QOpenGLFramebufferObject::NoAttachment,
                                                          GL_TEXTURE_2D, GL_RGBA32F);
        count_ = 0;
    }
    if (count_ == 0) {
        sum_->bind();
        glClearColor(0, 0, 0, 0);
        glClear(GL_COLOR_BUFFER_BIT);
    }
    glBindFramebuffer(GL_READ_FRAMEBUFFER, framebuffer);  // several samples a pixel become one
    glBindFramebuffer(GL_DRAW_FRAMEBUFFER, one_->handle());
    glBlitFramebuffer(0, 0, size.width(), size.height(), 0, 0, size.width(), size.height(),
                      GL_COLOR_BUFFER_BIT, GL_NEAREST);
    glEnable(GL_BLEND);
    glBlendFunc(GL_ONE, GL_ONE);
    pass(one_->texture(), sum_->handle(), size, 1.0f, kGamma);
    glDisable(GL_BLEND);
    ++count_;
}

void LensBlur::show(GLuint framebuffer, const QSize& size) {
    if (count_ > 0) pass(sum_->texture(), framebuffer, size, 1.0f / float(count_), 1.0f / kGamma);
}

void LensBlur::pass(GLuint texture, GLuint to, const QSize& size, float scale, float power) {
    glBindFramebuffer(GL_FRAMEBUFFER, to);
    glViewport(0, 0, size.width(), size.height());
    glDisable(GL_DEPTH_TEST);
    glDisable(GL_CULL_FACE);
    program_.bind();
    program_.setUniformValue("picture", 0);
    program_.setUniformValue("scale", scale);
    program_.setUniformValue("power", power);
    glActiveTexture(GL_TEXTURE0);
    glBindTexture(GL_TEXTURE_2D, texture);
    none_.bind();
    glDrawArrays(GL_TRIANGLES, 0, 3);
    none_.release();
    glBindTexture(GL_TEXTURE_2D, 0);
    program_.release();
}

}  // namespace ovrix::app
