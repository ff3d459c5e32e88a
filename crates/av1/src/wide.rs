//! Loops compiled once more for wider vector units: the same integers on every processor.

use std::marker::PhantomData;

use pulp::{Arch, Simd, WithSimd};

/// A function of some arguments, by its name: it is inlined wherever it is called, as a closure need not be, which is
/// then compiled for the narrowest units alone.
pub(crate) trait Body<A> {
    type Out;

    fn call(arguments: A) -> Self::Out;
}

/// Names a function that is always inlined: generics in brackets, a name, the function and its arguments.
macro_rules! body {
    ([$($generic:tt)*] $name:ty = $function:expr, ($($argument:ident: $type:ty),+) -> $out:ty) => {
        impl<$($generic)*> $crate::wide::Body<($($type,)+)> for $name {
            type Out = $out;

            #[inline(always)]
            fn call(($($argument,)+): ($($type,)+)) -> $out {
                $function($($argument),+)
            }
        }
    };
}

pub(crate) use body;

struct Work<F, A>(A, PhantomData<F>);

impl<F: Body<A>, A> WithSimd for Work<F, A> {
    type Output = F::Out;

    #[inline(always)]
    fn with_simd<S: Simd>(self, _: S) -> F::Out {
        F::call(self.0)
    }
}

/// Calls a function by the widest units that there are.
#[inline]
pub(crate) fn widely<F: Body<A>, A>(_: F, arguments: A) -> F::Out {
    Arch::new().dispatch(Work(arguments, PhantomData::<F>))
}
