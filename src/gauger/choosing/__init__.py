"""x"""
CountStudy=CountAdvice=Silhouette=silhouette=study_counts=object
