// The denoiser's network on oneDNN: the part of denoiser.h that takes it, which is loaded when it is first
// asked for.
#include <omp.h>
#include <tbb/global_control.h>

#include <array>
#include <oneapi/dnnl/dnnl.hpp>

#include "base/error.h"
#include "io/denoiser/denoiser_library.h"

namespace ovrix::io {

namespace {

using dnnl::memory;
using Dims = memory::dims;

/// Memory for what lies between layers; what is let go is taken again.
class Scratch {
  public:
    std::shared_ptr<void> take(size_t bytes) {
        const auto best = free_.lower_bound(bytes);
        if (best != free_.end() && best->first <= 2 * bytes) {
            const size_t size = best->first;
            void* p = best->second.release();
            free_.erase(best);
            return lend(p, size);
        }
        constexpr size_t kAlign = 64;
        const size_t size = (bytes + kAlign - 1) / kAlign * kAlign;
        void* p = std::aligned_alloc(kAlign, size);
        if (!p) throw std::bad_alloc();
        return lend(p, size);
    }

  private:
    struct Free {
        void operator()(void* p) const { std::free(p); }
    };
    std::shared_ptr<void> lend(void* p, size_t size) {
        return {p, [this, size](void* back) { free_.emplace(size, std::unique_ptr<void, Free>(back)); }};
    }
    std::multimap<size_t, std::unique_ptr<void, Free>> free_;
};

/// A picture of many planes between two layers.
struct Planes {
    memory data;
    std::shared_ptr<void> holds;
    Dims sizes() const { return data.get_desc().dims(); }
};

struct Convolution {
    memory weights, bias;
    int out = 0;  ///< planes that it makes
};

/// The sizes of a U-shaped network: Ronneberger, Fischer, Brox, "U-Net: Convolutional Networks for Biomedical
/// Image Segmentation", MICCAI 2015, doi:10.1007/978-3-319-24574-4_28.
class Unet : public render::DenoiserNetwork {
  public:
    explicit Unet(const Tensors& tensors) : engine_(dnnl::engine::kind::cpu, 0) {
        int planes = planes_ = planesOf(tensors);
        std::array<int, 4> joined{planes, 0, 0, 0};  // planes of what is joined on the way up
        const auto add = [&](const char* name) { planes = read(tensors, name, planes); };
        add("enc_conv0"), add("enc_conv1"), joined[1] = planes;
        add("enc_conv2"), joined[2] = planes;
        add("enc_conv3"), joined[3] = planes;
        add("enc_conv4"), add("enc_conv5a"), add("enc_conv5b");
        planes += joined[3], add("dec_conv4a"), add("dec_conv4b");
        planes += joined[2], add("dec_conv3a"), add("dec_conv3b");
        planes += joined[1], add("dec_conv2a"), add("dec_conv2b");
        planes += joined[0], add("dec_conv1a"), add("dec_conv1b"), add("dec_conv0");
        if (planes != 3) throw Error("gives " + std::to_string(planes) + " planes, and not 3");
    }

    int planes() const override { return planes_; }
    void run(std::span<const float> in, int width, int height, std::span<float> out,
             base::Progress& progress) const override;

  private:
    class Run;
    static int planesOf(const Tensors& tensors);
    int read(const Tensors& tensors, const std::string& name, int planes);

    int planes_ = kPlanes;
    dnnl::engine engine_;
    std::map<std::string, Convolution> layers_;
};

const Tensor& tensorOf(const Tensors& tensors, const std::string& name, const std::string& layout) {
    const auto it = tensors.find(name);
    if (it == tensors.end()) throw Error("is a network without \"" + name + "\"");
    if (it->second.layout != layout) throw Error("has \"" + name + "\" in an order that is not known");
    return it->second;
}

memory memoryOf(const Tensor& t, memory::format_tag order, const dnnl::engine& engine) {
    memory m({Dims(t.sizes.begin(), t.sizes.end()), memory::data_type::f32, order}, engine);
    std::copy(t.values.begin(), t.values.end(), static_cast<float*>(m.get_data_handle()));
    return m;
}

/// That the first layer takes.
int Unet::planesOf(const Tensors& tensors) {
    const int planes = tensorOf(tensors, "enc_conv0.weight", "oihw").sizes[1];
    if (planes != 3 && planes != kPlanes)
        throw Error("takes " + std::to_string(planes) + " planes, and not 3 or 9");
    return planes;
}

/// Gives the planes that the layer makes.
int Unet::read(const Tensors& tensors, const std::string& name, int planes) {
    const Tensor& w = tensorOf(tensors, name + ".weight", "oihw");
    const Tensor& b = tensorOf(tensors, name + ".bias", "x");
    if (w.sizes[1] != planes || w.sizes[2] != 3 || w.sizes[3] != 3 || b.sizes[0] != w.sizes[0])
        throw Error("has \"" + name + "\" in sizes that do not fit");
    layers_[name] = {.weights = memoryOf(w, memory::format_tag::oihw, engine_),
                     .bias = memoryOf(b, memory::format_tag::x, engine_),
                     .out = w.sizes[0]};
    return w.sizes[0];
}

/// One picture on its way through the network.
class Unet::Run {
  public:
    Run(const Unet& net, base::Progress& progress) : net_(net), progress_(progress), stream_(net.engine_) {}

    /// What is no longer needed is let go at each line.
    void through(std::span<const float> in, int width, int height, std::span<float> out) {
        const Planes first = input(in, width, height);
        const Planes half = pooled(convolved(first, {"enc_conv0", "enc_conv1"}));
        const Planes quarter = pooled(convolved(half, {"enc_conv2"}));
        const Planes eighth = pooled(convolved(quarter, {"enc_conv3"}));
        Planes p = pooled(convolved(eighth, {"enc_conv4"}));
        p = convolved(p, {"enc_conv5a", "enc_conv5b"});
        p = convolved(joined(p, eighth), {"dec_conv4a", "dec_conv4b"});
        p = convolved(joined(p, quarter), {"dec_conv3a", "dec_conv3b"});
        p = convolved(joined(p, half), {"dec_conv2a", "dec_conv2b"});
        p = convolved(joined(p, first), {"dec_conv1a", "dec_conv1b"});
        output(convolve(p, "dec_conv0", false), width, height, out);
    }

  private:
    Planes input(std::span<const float> values, int width, int height) {
        Planes p = make({{1, net_.planes_, height, width}, memory::data_type::f32, memory::format_tag::nchw});
        std::copy(values.begin(), values.end(), static_cast<float*>(p.data.get_data_handle()));
        return p;
    }

    void output(const Planes& p, int width, int height, std::span<float> out) {
        memory plain({{1, 3, height, width}, memory::data_type::f32, memory::format_tag::nchw}, net_.engine_,
                     out.data());
        memory made = p.data;  // shares it: the library takes no const
        dnnl::reorder(made, plain).execute(stream_, made, plain);
        stream_.wait();
    }

    Planes convolved(Planes p, std::initializer_list<const char*> names) {
        for (const char* name : names) p = convolve(p, name);
        return p;
    }

    /// @param cut  at 0, below
    Planes convolve(const Planes& in, const char* name, bool cut = true) {
        progress_.check();
        const Convolution& layer = net_.layers_.at(name);
        Dims sizes = in.sizes(), made = sizes;
        made[1] = layer.out;
        const auto any = [](const Dims& dims) {
            return memory::desc(dims, memory::data_type::f32, memory::format_tag::any);
        };
        // The direct one, whatever the size: quicker ones for some sizes round otherwise.
        const dnnl::convolution_forward::desc what(
            dnnl::prop_kind::forward_inference, dnnl::algorithm::convolution_direct, any(sizes),
            any(layer.weights.get_desc().dims()), layer.bias.get_desc(), any(made), {1, 1}, {1, 1}, {1, 1});
        dnnl::primitive_attr attributes;
        if (cut) {
            dnnl::post_ops after;
            after.append_eltwise(1.0f, dnnl::algorithm::eltwise_relu, 0.0f, 0.0f);
            attributes.set_post_ops(after);
        }
        const dnnl::convolution_forward::primitive_desc how(what, attributes, net_.engine_);
        const Planes from = ordered(in, how.src_desc());
        const memory weights = orderedWeights(layer.weights, how.weights_desc());
        Planes to = make(how.dst_desc());
        run(dnnl::convolution_forward(how), {{DNNL_ARG_SRC, from.data},
                                             {DNNL_ARG_WEIGHTS, weights},
                                             {DNNL_ARG_BIAS, layer.bias},
                                             {DNNL_ARG_DST, to.data}});
        return to;
    }

    /// Half as wide and high, each the largest of four.
    Planes pooled(const Planes& in) {
        Dims sizes = in.sizes();
        sizes[2] /= 2, sizes[3] /= 2;
        const dnnl::pooling_forward::desc what(
            dnnl::prop_kind::forward_inference, dnnl::algorithm::pooling_max, in.data.get_desc(),
            {sizes, memory::data_type::f32, memory::format_tag::any}, {2, 2}, {2, 2}, {0, 0}, {0, 0});
        const dnnl::pooling_forward::primitive_desc how(what, net_.engine_);
        Planes to = make(how.dst_desc());
        run(dnnl::pooling_forward(how), {{DNNL_ARG_SRC, in.data}, {DNNL_ARG_DST, to.data}});
        return to;
    }

    /// Twice as wide and high, with the planes of @p beside after its own.
    Planes joined(const Planes& in, const Planes& beside) {
        const Planes large = doubled(in);
        const dnnl::concat::primitive_desc how(1, {large.data.get_desc(), beside.data.get_desc()},
                                               net_.engine_);
        Planes to = make(how.dst_desc());
        run(dnnl::concat(how), {{DNNL_ARG_MULTIPLE_SRC, large.data},
                                {DNNL_ARG_MULTIPLE_SRC + 1, beside.data},
                                {DNNL_ARG_DST, to.data}});
        return to;
    }

    Planes doubled(const Planes& in) {
        progress_.check();
        Dims sizes = in.sizes();
        sizes[2] *= 2, sizes[3] *= 2;
        const dnnl::resampling_forward::desc what(
            dnnl::prop_kind::forward_inference, dnnl::algorithm::resampling_nearest, {2.0f, 2.0f},
            in.data.get_desc(), {sizes, memory::data_type::f32, memory::format_tag::any});
        const dnnl::resampling_forward::primitive_desc how(what, net_.engine_);
        Planes to = make(how.dst_desc());
        run(dnnl::resampling_forward(how), {{DNNL_ARG_SRC, in.data}, {DNNL_ARG_DST, to.data}});
        return to;
    }

    Planes make(const memory::desc& desc) {
        auto holds = scratch_.take(desc.get_size());
        return {memory(desc, net_.engine_, holds.get()), std::move(holds)};
    }

    Planes ordered(const Planes& in, const memory::desc& wanted) {
        if (in.data.get_desc() == wanted) return in;
        Planes to = make(wanted);
        run(dnnl::reorder(in.data, to.data), {{DNNL_ARG_FROM, in.data}, {DNNL_ARG_TO, to.data}});
        return to;
    }
    memory orderedWeights(const memory& in, const memory::desc& wanted) {
        if (in.get_desc() == wanted) return in;
        memory to(wanted, net_.engine_);
        run(dnnl::reorder(in, to), {{DNNL_ARG_FROM, in}, {DNNL_ARG_TO, to}});
        return to;
    }

    /// Waits, so that what is let go may be taken again.
    void run(const dnnl::primitive& work, const std::unordered_map<int, memory>& with) {
        work.execute(stream_, with);
        stream_.wait();
    }

    const Unet& net_;
    base::Progress& progress_;
    dnnl::stream stream_;
    Scratch scratch_;
};

void Unet::run(std::span<const float> in, int width, int height, std::span<float> out,
               base::Progress& progress) const {
    // The library has threads of its own: as many as the program may take. It sets them for the thread that
    // asks, which gives them back.
    const int before = omp_get_max_threads();
    omp_set_num_threads(int(tbb::global_control::active_value(tbb::global_control::max_allowed_parallelism)));
    struct Restore {
        int threads;
        ~Restore() { omp_set_num_threads(threads); }
    } const restore{before};
    try {
        Run(*this, progress).through(in, width, height, out);
    } catch (const dnnl::error& e) {
        if (e.status == dnnl_out_of_memory) throw std::bad_alloc();
        base::logDetail("the denoiser", e.what());
        throw Error("the picture could not be denoised", {}, "Render without denoising");
    }
}

std::shared_ptr<const render::DenoiserNetwork> makeUnet(const Tensors& tensors) {
    try {
        return std::make_shared<Unet>(tensors);
    } catch (const dnnl::error& e) {
        base::logDetail("the denoiser", e.what());
        throw Error("is a network that cannot be run here");
    }
}

}  // namespace

}  // namespace ovrix::io

extern "C" {
extern const ovrix::io::DenoiserLibrary ovrixDenoiser;
const ovrix::io::DenoiserLibrary ovrixDenoiser = {ovrix::io::makeUnet};
}
