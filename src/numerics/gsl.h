// GSL's headers beside OpenBLAS's: both declare CBLAS, so GSL's declarations are left out.
#pragma once

#include <cblas.h>
#define __GSL_CBLAS_H__
#include <gsl/gsl_errno.h>
#include <gsl/gsl_integration.h>
#include <gsl/gsl_multiroots.h>
