module github.com/tiendc/go-deepcopy

go 1.26.0
